-- The log of a safe start: rungs taken, current and rails read, smoke and its cause. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE start_entry (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (kind IN ('rung', 'current', 'rail', 'smoke', 'cause', 'finish')),
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX start_entry_of_job ON start_entry (job_id);

CREATE TRIGGER start_entry_stays BEFORE UPDATE ON start_entry BEGIN SELECT RAISE(ABORT, 'the start log is append-only'); END;
CREATE TRIGGER start_entry_is_kept BEFORE DELETE ON start_entry BEGIN SELECT RAISE(ABORT, 'the start log is append-only'); END;

PRAGMA user_version = 4;
COMMIT;
