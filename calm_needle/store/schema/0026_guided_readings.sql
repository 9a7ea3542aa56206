-- What a meter found for a guided piece of work, each reading as it was taken: what was typed for it, what it says, and of a scan its points (JSON).
BEGIN;
CREATE TABLE guided_reading (
    id INTEGER PRIMARY KEY,
    work_id INTEGER NOT NULL REFERENCES guided_work (id),
    stage TEXT NOT NULL,
    ask TEXT NOT NULL,
    part TEXT NOT NULL,
    typed TEXT NOT NULL,
    sentence TEXT NOT NULL,
    points TEXT,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX guided_reading_of_work ON guided_reading (work_id);
PRAGMA user_version = 26;
COMMIT;
