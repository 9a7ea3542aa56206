-- Beside what was read of a band: why it is left blank, and whether its oscillator was seen to run.
BEGIN;
CREATE TABLE band_note (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    band TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('left blank', 'oscillator')),
    words TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX band_note_of_job ON band_note (job_id);
PRAGMA user_version = 30;
COMMIT;
