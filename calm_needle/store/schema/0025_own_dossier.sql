-- A set that is no longer as its model's papers have it, or that is known better than they know it, keeps a dossier of its own: the newest one
-- that was written for it. NULL: it is as its model's.
BEGIN;
ALTER TABLE radio_set ADD COLUMN dossier_id INTEGER REFERENCES dossier (id);
PRAGMA user_version = 25;
COMMIT;
