-- What was measured when a set was verified: figures and series, each with how it was measured. It only grows; a slip is struck with a reason.
BEGIN IMMEDIATE;

CREATE TABLE measurement (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL,
    band TEXT NOT NULL DEFAULT '',
    measured TEXT NOT NULL CHECK (json_valid(measured)),
    conditions TEXT NOT NULL CHECK (json_valid(conditions)),
    sigma REAL CHECK (sigma >= 0),
    source TEXT NOT NULL CHECK (source IN ('instruments', 'by hand', 'recording')),
    cover TEXT NOT NULL CHECK (cover IN ('on', 'off', '')),
    at_utc TEXT NOT NULL,
    after_repair INTEGER NOT NULL DEFAULT 0,
    after_act INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX measurement_of_job ON measurement (job_id);

CREATE TABLE measurement_strike (
    measurement_id INTEGER PRIMARY KEY REFERENCES measurement (id),
    reason TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;

CREATE TRIGGER measurement_stays BEFORE UPDATE ON measurement BEGIN SELECT RAISE(ABORT, 'measurements are append-only'); END;
CREATE TRIGGER measurement_is_kept BEFORE DELETE ON measurement BEGIN SELECT RAISE(ABORT, 'measurements are append-only'); END;

-- A watch over an intermittent fault: what happened when, in seconds since it began.
CREATE TABLE soak_watch (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    fault TEXT NOT NULL,
    began_utc TEXT NOT NULL
) STRICT;
CREATE INDEX soak_watch_of_job ON soak_watch (job_id);

CREATE TABLE soak_entry (
    id INTEGER PRIMARY KEY,
    watch_id INTEGER NOT NULL REFERENCES soak_watch (id),
    kind TEXT NOT NULL,
    place TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;

-- A set beside a known good one, on one aerial: which of the two was first stays hidden until both are scored.
CREATE TABLE beside_good (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    band TEXT NOT NULL,
    reference TEXT NOT NULL,
    aerial TEXT NOT NULL,
    this_first INTEGER NOT NULL CHECK (this_first IN (0, 1)),
    first_score INTEGER CHECK (first_score BETWEEN 1 AND 5),
    second_score INTEGER CHECK (second_score BETWEEN 1 AND 5),
    words TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL,
    scored_utc TEXT
) STRICT;
CREATE INDEX beside_good_of_job ON beside_good (job_id);

PRAGMA user_version = 32;
COMMIT;
