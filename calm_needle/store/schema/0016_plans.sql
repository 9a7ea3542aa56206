-- A run keeps the plan it was begun with, and its acts name the step they were meant for.
-- The acts of older runs are filled in by 17 (store.old_runs), for which they may be changed; 18 makes them append-only again.
BEGIN IMMEDIATE;

CREATE TABLE run_plan (
    run_id INTEGER PRIMARY KEY REFERENCES run (id),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;

-- What a reading is of, and what else stood how when it was taken; band, modulation and cover stand with its set-up.
ALTER TABLE reading ADD COLUMN quantity TEXT;
ALTER TABLE reading ADD COLUMN dial_hz REAL CHECK (dial_hz > 0);
ALTER TABLE reading ADD COLUMN other_turns TEXT CHECK (other_turns IS NULL OR json_valid(other_turns));

DROP TRIGGER act_stays;
DROP TRIGGER reading_stays;

PRAGMA user_version = 16;
COMMIT;
