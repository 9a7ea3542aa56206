-- As what an instrument's uncertainty was given: what was typed stays as it was, and is converted where it is used.
BEGIN IMMEDIATE;

ALTER TABLE instrument_check ADD COLUMN given_as TEXT NOT NULL DEFAULT 'uncertainty (95 %)';

PRAGMA user_version = 44;
COMMIT;
