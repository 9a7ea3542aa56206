-- Which groups of a phase a change has put in doubt; none where the phase is open as a whole.
BEGIN IMMEDIATE;

ALTER TABLE phase_mark ADD COLUMN stale_groups TEXT CHECK (stale_groups IS NULL OR json_valid(stale_groups));

PRAGMA user_version = 19;
COMMIT;
