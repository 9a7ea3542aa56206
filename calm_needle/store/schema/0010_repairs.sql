-- What was changed in a set, one change a row, and the quick test after it. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE repair (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    part TEXT NOT NULL CHECK (length(part) > 0),
    what TEXT NOT NULL CHECK (what IN ('replaced', 'wound anew', 'mended', 'cleaned', 'moved')),
    value REAL CHECK (value > 0),
    words TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX repair_of_job ON repair (job_id);

CREATE TABLE quick_test (
    id INTEGER PRIMARY KEY,
    repair_id INTEGER NOT NULL REFERENCES repair (id),
    outcome TEXT NOT NULL CHECK (outcome IN ('better', 'as before', 'worse')),
    words TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX quick_test_of_repair ON quick_test (repair_id);

CREATE TRIGGER repair_stays BEFORE UPDATE ON repair BEGIN SELECT RAISE(ABORT, 'repairs are append-only'); END;
CREATE TRIGGER repair_is_kept BEFORE DELETE ON repair BEGIN SELECT RAISE(ABORT, 'repairs are append-only'); END;
CREATE TRIGGER quick_test_stays BEFORE UPDATE ON quick_test BEGIN SELECT RAISE(ABORT, 'quick tests are append-only'); END;
CREATE TRIGGER quick_test_is_kept BEFORE DELETE ON quick_test BEGIN SELECT RAISE(ABORT, 'quick tests are append-only'); END;

PRAGMA user_version = 10;
COMMIT;
