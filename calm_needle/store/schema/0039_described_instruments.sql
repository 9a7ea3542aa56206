-- Instruments that are described instead of programmed: the description, as JSON, beside where one is found.
BEGIN IMMEDIATE;

ALTER TABLE instrument ADD COLUMN description TEXT CHECK (description IS NULL OR json_valid(description));

PRAGMA user_version = 39;
COMMIT;
