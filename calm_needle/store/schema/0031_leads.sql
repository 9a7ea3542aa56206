-- What was taken off a reading for the leads of the meter.
BEGIN IMMEDIATE;

ALTER TABLE part_check ADD COLUMN leads REAL NOT NULL DEFAULT 0 CHECK (leads >= 0);

PRAGMA user_version = 31;
COMMIT;
