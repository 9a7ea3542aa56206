-- What was half typed when a window was closed. Not a record: overwritten while typing, and let go once it is kept properly.
BEGIN IMMEDIATE;

CREATE TABLE draft (
    job_id INTEGER NOT NULL REFERENCES job (id),
    form TEXT NOT NULL CHECK (length(form) BETWEEN 1 AND 200),
    fields TEXT NOT NULL CHECK (json_valid(fields)),
    at_utc TEXT NOT NULL,
    PRIMARY KEY (job_id, form)
) STRICT;

PRAGMA user_version = 14;
COMMIT;
