-- Which part a finding accuses, where it accuses one.
BEGIN;
ALTER TABLE finding ADD COLUMN accuses TEXT;
PRAGMA user_version = 22;
COMMIT;
