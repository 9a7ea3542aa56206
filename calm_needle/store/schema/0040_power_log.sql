-- The log of power also keeps the look before first power, a power that was cut after a stop, and that a set is still on on a new day; its
-- rows, and what was struck of them, are kept as they are.
PRAGMA foreign_keys = OFF;
BEGIN IMMEDIATE;

CREATE TABLE start_log (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (kind IN ('look', 'rung', 'current', 'rail', 'smoke', 'cut', 'cause', 'off', 'still', 'finish')),
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    at_utc TEXT NOT NULL
) STRICT;
INSERT INTO start_log SELECT id, job_id, kind, detail, at_utc FROM start_entry;
DROP TRIGGER start_entry_stays;
DROP TRIGGER start_entry_is_kept;
DROP TABLE start_entry;
ALTER TABLE start_log RENAME TO start_entry;
CREATE INDEX start_entry_of_job ON start_entry (job_id);

CREATE TRIGGER start_entry_stays BEFORE UPDATE ON start_entry BEGIN SELECT RAISE(ABORT, 'the start log is append-only'); END;
CREATE TRIGGER start_entry_is_kept BEFORE DELETE ON start_entry BEGIN SELECT RAISE(ABORT, 'the start log is append-only'); END;

PRAGMA user_version = 40;
COMMIT;
PRAGMA foreign_keys = ON;
