-- Results of calculators that were sent into a job. Append-only, as readings are.
BEGIN IMMEDIATE;

CREATE TABLE reckoning (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    calculator TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('finding', 'reading')),
    sentence TEXT NOT NULL CHECK (length(sentence) > 0),
    inputs TEXT NOT NULL CHECK (json_valid(inputs)),
    results TEXT NOT NULL CHECK (json_valid(results)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX reckoning_of_job ON reckoning (job_id);

CREATE TRIGGER reckoning_stays BEFORE UPDATE ON reckoning BEGIN SELECT RAISE(ABORT, 'reckonings are append-only'); END;
CREATE TRIGGER reckoning_is_kept BEFORE DELETE ON reckoning BEGIN SELECT RAISE(ABORT, 'reckonings are append-only'); END;

PRAGMA user_version = 2;
COMMIT;
