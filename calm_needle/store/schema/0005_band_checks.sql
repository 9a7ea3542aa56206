-- What was heard and measured on each band; the last entry of a kind counts. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE band_check (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    band TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('off air', 'generator', 'level', 'coil')),
    heard TEXT CHECK (heard IN ('alive', 'dead')),
    value REAL,
    coupling TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX band_check_of_job ON band_check (job_id);

CREATE TRIGGER band_check_stays BEFORE UPDATE ON band_check BEGIN SELECT RAISE(ABORT, 'band checks are append-only'); END;
CREATE TRIGGER band_check_is_kept BEFORE DELETE ON band_check BEGIN SELECT RAISE(ABORT, 'band checks are append-only'); END;

PRAGMA user_version = 5;
COMMIT;
