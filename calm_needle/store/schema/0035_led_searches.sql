-- A sensitivity led by hand: for what a level is searched, and each level that was tried with how far apart the outputs were there.
BEGIN IMMEDIATE;

CREATE TABLE led_search (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    asked TEXT NOT NULL CHECK (json_valid(asked)),
    began_utc TEXT NOT NULL,
    ended_utc TEXT,
    measurement_id INTEGER REFERENCES measurement (id)
) STRICT;
CREATE INDEX led_search_of_job ON led_search (job_id);

CREATE TABLE led_try (
    id INTEGER PRIMARY KEY,
    search_id INTEGER NOT NULL REFERENCES led_search (id),
    level_v REAL NOT NULL CHECK (level_v > 0),
    apart_db REAL NOT NULL,
    shown TEXT NOT NULL,
    at_utc TEXT NOT NULL,
    struck_utc TEXT
) STRICT;
CREATE INDEX led_try_of_search ON led_try (search_id);

PRAGMA user_version = 35;
COMMIT;
