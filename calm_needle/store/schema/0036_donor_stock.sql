-- Parts kept for other sets: what each is, where it is from, how it was tested; how many came and went, and into which job.
BEGIN IMMEDIATE;

CREATE TABLE donor_part (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL,
    name TEXT NOT NULL,
    value REAL,
    from_what TEXT NOT NULL,
    place TEXT NOT NULL,
    added_utc TEXT NOT NULL
) STRICT;

CREATE TABLE donor_test (
    id INTEGER PRIMARY KEY,
    donor_part_id INTEGER NOT NULL REFERENCES donor_part (id),
    outcome TEXT NOT NULL,
    words TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX donor_test_of_part ON donor_test (donor_part_id);

CREATE TABLE donor_move (
    id INTEGER PRIMARY KEY,
    donor_part_id INTEGER NOT NULL REFERENCES donor_part (id),
    change INTEGER NOT NULL CHECK (change <> 0),
    job_id INTEGER REFERENCES job (id),
    words TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX donor_move_of_part ON donor_move (donor_part_id);

PRAGMA user_version = 36;
COMMIT;
