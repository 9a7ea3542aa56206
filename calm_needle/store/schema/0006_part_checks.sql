-- What parts measured, and which were replaced. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE part_check (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    part TEXT NOT NULL,
    value REAL CHECK (value >= 0),
    in_circuit INTEGER NOT NULL DEFAULT 0 CHECK (in_circuit IN (0, 1)),
    replaced INTEGER NOT NULL DEFAULT 0 CHECK (replaced IN (0, 1)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX part_check_of_job ON part_check (job_id);

CREATE TRIGGER part_check_stays BEFORE UPDATE ON part_check BEGIN SELECT RAISE(ABORT, 'part checks are append-only'); END;
CREATE TRIGGER part_check_is_kept BEFORE DELETE ON part_check BEGIN SELECT RAISE(ABORT, 'part checks are append-only'); END;

PRAGMA user_version = 6;
COMMIT;
