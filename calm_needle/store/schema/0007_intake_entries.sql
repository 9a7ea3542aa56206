-- What was asked when a set came in: papers, purpose, earlier hands, consent, what is waited for, worth. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE intake_entry (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL,
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX intake_entry_of_job ON intake_entry (job_id);

CREATE TABLE intake_end (
    id INTEGER PRIMARY KEY,
    entry_id INTEGER NOT NULL UNIQUE REFERENCES intake_entry (id),
    at_utc TEXT NOT NULL
) STRICT;

CREATE TRIGGER intake_entry_stays BEFORE UPDATE ON intake_entry BEGIN SELECT RAISE(ABORT, 'intake entries are append-only'); END;
CREATE TRIGGER intake_entry_is_kept BEFORE DELETE ON intake_entry BEGIN SELECT RAISE(ABORT, 'intake entries are append-only'); END;
CREATE TRIGGER intake_end_stays BEFORE UPDATE ON intake_end BEGIN SELECT RAISE(ABORT, 'intake entries are append-only'); END;
CREATE TRIGGER intake_end_is_kept BEFORE DELETE ON intake_end BEGIN SELECT RAISE(ABORT, 'intake entries are append-only'); END;

PRAGMA user_version = 7;
COMMIT;
