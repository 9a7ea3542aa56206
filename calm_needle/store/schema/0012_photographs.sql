-- Photographs of a job, kept beside the database by what is in them; pins on them. Taking one away adds a row.
BEGIN IMMEDIATE;

CREATE TABLE photograph (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    sha256 TEXT NOT NULL CHECK (length(sha256) = 64),
    caption TEXT NOT NULL DEFAULT '',
    width INTEGER NOT NULL CHECK (width > 0),
    height INTEGER NOT NULL CHECK (height > 0),
    at_utc TEXT NOT NULL,
    UNIQUE (job_id, sha256)
) STRICT;

CREATE TABLE pin (
    id INTEGER PRIMARY KEY,
    photograph_id INTEGER NOT NULL REFERENCES photograph (id),
    kind TEXT NOT NULL CHECK (kind IN ('adjuster', 'lead', 'oddity')),
    label TEXT NOT NULL CHECK (length(label) > 0),
    x REAL NOT NULL CHECK (x BETWEEN 0 AND 1),
    y REAL NOT NULL CHECK (y BETWEEN 0 AND 1),
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX pin_of_photograph ON pin (photograph_id);

CREATE TABLE pin_taken_out (
    pin_id INTEGER PRIMARY KEY REFERENCES pin (id),
    at_utc TEXT NOT NULL
) STRICT;

CREATE TABLE map_mark (
    id INTEGER PRIMARY KEY,
    set_id INTEGER NOT NULL REFERENCES radio_set (id),
    label TEXT NOT NULL CHECK (length(label) > 0),
    kind TEXT NOT NULL CHECK (kind IN ('core', 'trimmer', 'padder', 'trap', 'preset', 'test point')),
    side TEXT NOT NULL CHECK (side IN ('above', 'below')),
    x_mm REAL,
    y_mm REAL,
    remarks TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL,
    CHECK ((x_mm IS NULL) = (y_mm IS NULL))
) STRICT;
CREATE INDEX map_mark_of_set ON map_mark (set_id);

CREATE TRIGGER photograph_stays BEFORE UPDATE ON photograph BEGIN SELECT RAISE(ABORT, 'photographs are append-only'); END;
CREATE TRIGGER photograph_is_kept BEFORE DELETE ON photograph BEGIN SELECT RAISE(ABORT, 'photographs are append-only'); END;
CREATE TRIGGER pin_stays BEFORE UPDATE ON pin BEGIN SELECT RAISE(ABORT, 'pins are append-only'); END;
CREATE TRIGGER pin_is_kept BEFORE DELETE ON pin BEGIN SELECT RAISE(ABORT, 'pins are append-only'); END;
CREATE TRIGGER map_mark_stays BEFORE UPDATE ON map_mark BEGIN SELECT RAISE(ABORT, 'map marks are append-only'); END;
CREATE TRIGGER map_mark_is_kept BEFORE DELETE ON map_mark BEGIN SELECT RAISE(ABORT, 'map marks are append-only'); END;

PRAGMA user_version = 12;
COMMIT;
