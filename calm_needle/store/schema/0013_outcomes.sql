-- What came of an entry that was open: a prediction hit or missed, a suspicion confirmed or cleared, a thing that has come.
BEGIN IMMEDIATE;

ALTER TABLE intake_end ADD COLUMN outcome TEXT NOT NULL DEFAULT '';

PRAGMA user_version = 13;
COMMIT;
