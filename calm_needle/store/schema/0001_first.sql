-- Models and their dossiers, sets, jobs, runs with their acts, and readings.
-- What was read or done is append-only, and triggers keep it so; a mistake is struck out by a row with a reason.
BEGIN IMMEDIATE;

CREATE TABLE model (
    id INTEGER PRIMARY KEY,
    key TEXT NOT NULL UNIQUE,
    name TEXT NOT NULL,
    dossier_id INTEGER REFERENCES dossier (id)
) STRICT;

-- A dossier is never changed: bringing in a newer file adds a row, and a run keeps the one it began with.
CREATE TABLE dossier (
    id INTEGER PRIMARY KEY,
    model_id INTEGER NOT NULL REFERENCES model (id),
    content TEXT NOT NULL CHECK (json_valid(content)),
    sha256 TEXT NOT NULL,
    taken_in_utc TEXT NOT NULL,
    UNIQUE (model_id, sha256)
) STRICT;

-- "set" is a word of SQL.
CREATE TABLE radio_set (
    id INTEGER PRIMARY KEY,
    model_id INTEGER NOT NULL REFERENCES model (id),
    serial TEXT NOT NULL CHECK (length(serial) > 0),
    owner TEXT NOT NULL DEFAULT '',
    remarks TEXT NOT NULL DEFAULT '',
    added_utc TEXT NOT NULL,
    UNIQUE (model_id, serial)
) STRICT;

CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    set_id INTEGER NOT NULL REFERENCES radio_set (id),
    complaint TEXT NOT NULL CHECK (length(complaint) > 0),
    bench TEXT NOT NULL CHECK (bench IN ('instruments', 'typed')),
    opened_utc TEXT NOT NULL
) STRICT;
CREATE INDEX job_of_set ON job (set_id);

CREATE TABLE phase_mark (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    phase TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('done', 'open')),
    remark TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX phase_mark_of_job ON phase_mark (job_id);

CREATE TABLE run (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    dossier_id INTEGER NOT NULL REFERENCES dossier (id),
    phase TEXT NOT NULL,
    bench TEXT NOT NULL CHECK (bench IN ('instruments', 'typed')),
    started_utc TEXT NOT NULL
) STRICT;
CREATE INDEX run_of_job ON run (job_id);

CREATE TABLE act (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id),
    kind TEXT NOT NULL,
    at_utc TEXT NOT NULL,
    detail TEXT NOT NULL CHECK (json_valid(detail))
) STRICT;
CREATE INDEX act_of_run ON act (run_id);

-- The whole context of readings: everything that was set. Level and frequency, which change oftenest, stand with the reading.
CREATE TABLE set_up (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id),
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX set_up_of_run ON set_up (run_id);

CREATE TABLE reading (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id),
    visit_id INTEGER NOT NULL REFERENCES act (id),
    set_up_id INTEGER NOT NULL REFERENCES set_up (id),
    kind TEXT NOT NULL CHECK (kind IN ('live', 'typed', 'marked', 'taken', 'sweep')),
    value REAL NOT NULL,
    unit TEXT NOT NULL,
    generator_hz REAL CHECK (generator_hz > 0),
    generator_v REAL CHECK (generator_v > 0),
    turns REAL,
    at_stop INTEGER NOT NULL DEFAULT 0 CHECK (at_stop IN (0, 1)),
    instrument TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX reading_of_visit ON reading (visit_id);

CREATE TABLE strike (
    id INTEGER PRIMARY KEY,
    reading_id INTEGER NOT NULL UNIQUE REFERENCES reading (id),
    reason TEXT NOT NULL CHECK (length(reason) > 0),
    at_utc TEXT NOT NULL
) STRICT;

CREATE TABLE note (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id),
    visit_id INTEGER REFERENCES act (id),
    words TEXT NOT NULL CHECK (length(words) > 0),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX note_of_run ON note (run_id);

CREATE TABLE finding (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id),
    subject TEXT NOT NULL,
    sentence TEXT NOT NULL,
    evidence TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX finding_of_run ON finding (run_id);

CREATE TABLE instrument (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL UNIQUE,
    resource TEXT NOT NULL CHECK (length(resource) > 0),
    identity TEXT NOT NULL DEFAULT '',
    stand_in INTEGER NOT NULL DEFAULT 0 CHECK (stand_in IN (0, 1)),
    added_utc TEXT NOT NULL
) STRICT;

CREATE TABLE setting (
    key TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;

CREATE TRIGGER reading_stays BEFORE UPDATE ON reading BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER reading_is_kept BEFORE DELETE ON reading BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER act_stays BEFORE UPDATE ON act BEGIN SELECT RAISE(ABORT, 'acts are append-only'); END;
CREATE TRIGGER act_is_kept BEFORE DELETE ON act BEGIN SELECT RAISE(ABORT, 'acts are append-only'); END;
CREATE TRIGGER strike_stays BEFORE UPDATE ON strike BEGIN SELECT RAISE(ABORT, 'strikes are append-only'); END;
CREATE TRIGGER strike_is_kept BEFORE DELETE ON strike BEGIN SELECT RAISE(ABORT, 'strikes are append-only'); END;
CREATE TRIGGER set_up_stays BEFORE UPDATE ON set_up BEGIN SELECT RAISE(ABORT, 'set-ups are append-only'); END;
CREATE TRIGGER set_up_is_kept BEFORE DELETE ON set_up BEGIN SELECT RAISE(ABORT, 'set-ups are append-only'); END;
CREATE TRIGGER dossier_stays BEFORE UPDATE ON dossier BEGIN SELECT RAISE(ABORT, 'a dossier is never changed'); END;
CREATE TRIGGER dossier_is_kept BEFORE DELETE ON dossier BEGIN SELECT RAISE(ABORT, 'a dossier is never changed'); END;

PRAGMA user_version = 1;
COMMIT;
