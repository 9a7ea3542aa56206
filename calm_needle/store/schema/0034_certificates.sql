-- Certificates as they were issued: numbered, never changed; a later one supersedes an earlier one.
BEGIN IMMEDIATE;

CREATE TABLE certificate (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    job_id INTEGER NOT NULL REFERENCES job (id),
    digest TEXT NOT NULL CHECK (length(digest) = 64),
    content TEXT NOT NULL CHECK (json_valid(content)),
    pdf BLOB NOT NULL,
    pdf_sha256 TEXT NOT NULL CHECK (length(pdf_sha256) = 64),
    supersedes INTEGER REFERENCES certificate (id),
    reason TEXT NOT NULL DEFAULT '',
    issued_utc TEXT NOT NULL
) STRICT;
CREATE INDEX certificate_of_job ON certificate (job_id);

CREATE TRIGGER certificate_stays BEFORE UPDATE ON certificate BEGIN SELECT RAISE(ABORT, 'certificates are immutable'); END;
CREATE TRIGGER certificate_is_kept BEFORE DELETE ON certificate BEGIN SELECT RAISE(ABORT, 'certificates are immutable'); END;

-- Photographs chosen for a job's record.
CREATE TABLE chosen_photograph (
    photograph_id INTEGER PRIMARY KEY REFERENCES photograph (id),
    chosen INTEGER NOT NULL CHECK (chosen IN (0, 1))
) STRICT;

PRAGMA user_version = 34;
COMMIT;
