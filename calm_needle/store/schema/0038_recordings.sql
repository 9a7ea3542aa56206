-- Recordings of a set's output kept with a job: what each is, with which reading, what was judged of it; its samples in parts of half a second.
BEGIN IMMEDIATE;

CREATE TABLE recording (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    reading_id INTEGER REFERENCES reading (id),
    words TEXT NOT NULL,
    input TEXT NOT NULL,
    rate_hz REAL NOT NULL CHECK (rate_hz > 0),
    tone_hz REAL,
    sha256 TEXT NOT NULL,
    judged TEXT NOT NULL CHECK (json_valid(judged)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX recording_of_job ON recording (job_id);

CREATE TABLE recording_part (
    id INTEGER PRIMARY KEY,
    recording_id INTEGER NOT NULL REFERENCES recording (id),
    samples TEXT NOT NULL
) STRICT;
CREATE INDEX recording_part_of_recording ON recording_part (recording_id);

PRAGMA user_version = 38;
COMMIT;
