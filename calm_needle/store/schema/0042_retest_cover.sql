-- A retest says whether the covers were on; empty for one of before, of which nobody has said it.
BEGIN IMMEDIATE;

ALTER TABLE retest ADD COLUMN cover TEXT NOT NULL DEFAULT '' CHECK (cover IN ('', 'on', 'off'));

PRAGMA user_version = 42;
COMMIT;
