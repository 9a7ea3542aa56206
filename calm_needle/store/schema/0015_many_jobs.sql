-- Stores of ten thousand jobs: finished runs are found without looking at every act, jobs by their words without joining tables.
BEGIN IMMEDIATE;

CREATE INDEX finish_of_run ON act (run_id) WHERE kind = 'finish';

-- Model, number, owner and complaint of each job in one line, kept so by triggers: searched while somebody types.
CREATE TABLE job_words (
    job_id INTEGER PRIMARY KEY REFERENCES job (id),
    words TEXT NOT NULL
) STRICT;
INSERT INTO job_words
    SELECT j.id, m.name || ' ' || s.serial || ' ' || s.owner || ' ' || j.complaint
    FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id;

CREATE TRIGGER words_of_new_job AFTER INSERT ON job BEGIN
    INSERT INTO job_words
        SELECT new.id, m.name || ' ' || s.serial || ' ' || s.owner || ' ' || new.complaint
        FROM radio_set s JOIN model m ON m.id = s.model_id WHERE s.id = new.set_id;
END;
CREATE TRIGGER words_of_renamed_model AFTER UPDATE OF name ON model WHEN new.name <> old.name BEGIN
    UPDATE job_words SET words = new.name || substr(words, length(old.name) + 1)
    WHERE job_id IN (SELECT j.id FROM job j JOIN radio_set s ON s.id = j.set_id WHERE s.model_id = new.id);
END;

PRAGMA user_version = 15;
COMMIT;
