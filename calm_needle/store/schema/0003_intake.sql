-- Complaints with their retests, and waivers of the gate before alignment. All of it only grows.
BEGIN IMMEDIATE;

CREATE TABLE complaint (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    words TEXT NOT NULL CHECK (length(words) > 0),
    place TEXT NOT NULL DEFAULT '',
    opened_utc TEXT NOT NULL
) STRICT;
CREATE INDEX complaint_of_job ON complaint (job_id);
INSERT INTO complaint (job_id, words, opened_utc) SELECT id, complaint, opened_utc FROM job;

CREATE TABLE retest (
    id INTEGER PRIMARY KEY,
    complaint_id INTEGER NOT NULL REFERENCES complaint (id),
    outcome TEXT NOT NULL CHECK (outcome IN ('gone', 'still there', 'a characteristic')),
    words TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX retest_of_complaint ON retest (complaint_id);

CREATE TABLE waiver (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    reason TEXT NOT NULL CHECK (length(reason) > 0),
    missing TEXT NOT NULL CHECK (json_valid(missing)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX waiver_of_job ON waiver (job_id);

CREATE TRIGGER complaint_stays BEFORE UPDATE ON complaint BEGIN SELECT RAISE(ABORT, 'complaints are append-only'); END;
CREATE TRIGGER complaint_is_kept BEFORE DELETE ON complaint BEGIN SELECT RAISE(ABORT, 'complaints are append-only'); END;
CREATE TRIGGER retest_stays BEFORE UPDATE ON retest BEGIN SELECT RAISE(ABORT, 'retests are append-only'); END;
CREATE TRIGGER retest_is_kept BEFORE DELETE ON retest BEGIN SELECT RAISE(ABORT, 'retests are append-only'); END;
CREATE TRIGGER waiver_stays BEFORE UPDATE ON waiver BEGIN SELECT RAISE(ABORT, 'waivers are append-only'); END;
CREATE TRIGGER waiver_is_kept BEFORE DELETE ON waiver BEGIN SELECT RAISE(ABORT, 'waivers are append-only'); END;

PRAGMA user_version = 3;
COMMIT;
