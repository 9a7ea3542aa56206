-- Guided pieces of work: which, about which part, what was answered at each stage, and when one was finished. It only grows.
BEGIN IMMEDIATE;

CREATE TABLE guided_work (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    piece TEXT NOT NULL,
    subject TEXT NOT NULL DEFAULT '',
    sister TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX guided_work_of_job ON guided_work (job_id);

CREATE TABLE guided_answer (
    id INTEGER PRIMARY KEY,
    work_id INTEGER NOT NULL REFERENCES guided_work (id),
    stage TEXT NOT NULL,
    answers TEXT NOT NULL CHECK (json_valid(answers)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX guided_answer_of_work ON guided_answer (work_id);

CREATE TABLE guided_end (
    work_id INTEGER PRIMARY KEY REFERENCES guided_work (id),
    outcome TEXT NOT NULL CHECK (outcome IN ('through', 'given up')),
    words TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;

CREATE TRIGGER guided_work_stays BEFORE UPDATE ON guided_work BEGIN SELECT RAISE(ABORT, 'guided works are append-only'); END;
CREATE TRIGGER guided_work_is_kept BEFORE DELETE ON guided_work BEGIN SELECT RAISE(ABORT, 'guided works are append-only'); END;
CREATE TRIGGER guided_answer_stays BEFORE UPDATE ON guided_answer BEGIN SELECT RAISE(ABORT, 'guided answers are append-only'); END;
CREATE TRIGGER guided_answer_is_kept BEFORE DELETE ON guided_answer BEGIN SELECT RAISE(ABORT, 'guided answers are append-only'); END;

PRAGMA user_version = 11;
COMMIT;
