-- What a loose loop picked up of the oscillator over the dial. Readings that were taken together have one sweep number; label: what was said of
-- how the set stood. Only grows.
BEGIN;
CREATE TABLE coverage (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    sweep INTEGER NOT NULL,
    label TEXT NOT NULL,
    band TEXT NOT NULL,
    dial_hz REAL NOT NULL CHECK (dial_hz > 0),
    oscillator_hz REAL NOT NULL CHECK (oscillator_hz >= 0),
    vpp REAL NOT NULL CHECK (vpp >= 0),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX coverage_of_job ON coverage (job_id, sweep);
CREATE TRIGGER coverage_stays_as_it_is BEFORE UPDATE ON coverage BEGIN SELECT RAISE (ABORT, 'readings are never changed'); END;
CREATE TRIGGER coverage_stays BEFORE DELETE ON coverage BEGIN SELECT RAISE (ABORT, 'readings are never deleted'); END;
PRAGMA user_version = 23;
COMMIT;
