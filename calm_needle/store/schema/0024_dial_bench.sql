-- Broadcast carriers that somebody knows, for every job; one that is withdrawn gets a row in carrier_withdrawn. What image rejection came to on a
-- band: levels of equal output at the signal and at its image; image_v NULL: not even the most, most_v, was heard there. A gang's sections read at
-- places of the shaft, those that were read together under one number; each NULL where it was not read. Only grow.
BEGIN;
CREATE TABLE carrier (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    frequency_hz REAL NOT NULL CHECK (frequency_hz > 0),
    uncertainty_hz REAL NOT NULL CHECK (uncertainty_hz > 0),
    known_on TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE TABLE carrier_withdrawn (
    carrier_id INTEGER PRIMARY KEY REFERENCES carrier (id),
    at_utc TEXT NOT NULL
) STRICT;
CREATE TABLE image_ratio (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    band TEXT NOT NULL,
    dial_hz REAL NOT NULL CHECK (dial_hz > 0),
    signal_v REAL NOT NULL CHECK (signal_v > 0),
    image_v REAL CHECK (image_v > 0),
    most_v REAL NOT NULL CHECK (most_v > 0),
    how TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX image_ratio_of_job ON image_ratio (job_id);
CREATE TABLE gang_reading (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    number INTEGER NOT NULL,
    dial_hz REAL NOT NULL CHECK (dial_hz > 0),
    oscillator_f REAL CHECK (oscillator_f > 0),
    signal_f REAL CHECK (signal_f > 0),
    donor_f REAL CHECK (donor_f > 0),
    band TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX gang_reading_of_job ON gang_reading (job_id, number);
CREATE TRIGGER carrier_stays_as_it_is BEFORE UPDATE ON carrier BEGIN SELECT RAISE (ABORT, 'carriers are withdrawn, never changed'); END;
CREATE TRIGGER carrier_stays BEFORE DELETE ON carrier BEGIN SELECT RAISE (ABORT, 'carriers are withdrawn, never deleted'); END;
CREATE TRIGGER image_ratio_stays_as_it_is BEFORE UPDATE ON image_ratio BEGIN SELECT RAISE (ABORT, 'readings are never changed'); END;
CREATE TRIGGER image_ratio_stays BEFORE DELETE ON image_ratio BEGIN SELECT RAISE (ABORT, 'readings are never deleted'); END;
CREATE TRIGGER gang_reading_stays_as_it_is BEFORE UPDATE ON gang_reading BEGIN SELECT RAISE (ABORT, 'readings are never changed'); END;
CREATE TRIGGER gang_reading_stays BEFORE DELETE ON gang_reading BEGIN SELECT RAISE (ABORT, 'readings are never deleted'); END;
PRAGMA user_version = 24;
COMMIT;
