-- What came of an entry: in words where that is wanted, and taken back again where it was a slip. The last row of an entry counts; one without
-- an outcome opens it again.
BEGIN;
CREATE TABLE entry_outcome (
    id INTEGER PRIMARY KEY,
    entry_id INTEGER NOT NULL REFERENCES intake_entry (id),
    outcome TEXT,
    words TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
INSERT INTO entry_outcome (entry_id, outcome, words, at_utc) SELECT entry_id, outcome, '', at_utc FROM intake_end ORDER BY id;
DROP TRIGGER intake_end_stays;
DROP TRIGGER intake_end_is_kept;
DROP TABLE intake_end;
CREATE INDEX outcome_of_entry ON entry_outcome (entry_id);
CREATE TRIGGER entry_outcome_stays BEFORE UPDATE ON entry_outcome BEGIN SELECT RAISE(ABORT, 'outcomes are append-only'); END;
CREATE TRIGGER entry_outcome_is_kept BEFORE DELETE ON entry_outcome BEGIN SELECT RAISE(ABORT, 'outcomes are append-only'); END;
PRAGMA user_version = 28;
COMMIT;
