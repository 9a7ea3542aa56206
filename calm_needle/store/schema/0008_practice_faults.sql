-- Faults hidden in practice sets; what is printed on a fitted part, apart from what it measures.
BEGIN IMMEDIATE;

CREATE TABLE practice_fault (
    set_id INTEGER NOT NULL REFERENCES radio_set (id),
    fault TEXT NOT NULL CHECK (length(fault) > 0),
    PRIMARY KEY (set_id, fault)
) STRICT;

ALTER TABLE part_check ADD COLUMN marked REAL CHECK (marked > 0);

PRAGMA user_version = 8;
COMMIT;
