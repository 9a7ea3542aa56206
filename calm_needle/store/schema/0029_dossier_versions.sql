-- The versions of a set's own dossier, in their order: what was done to come to each, and from which of the model's it set out (base).
-- dossier_id NULL: it went back to being as its model's.
BEGIN;
CREATE TABLE own_dossier_version (
    id INTEGER PRIMARY KEY,
    set_id INTEGER NOT NULL REFERENCES radio_set (id),
    dossier_id INTEGER REFERENCES dossier (id),
    base_id INTEGER NOT NULL REFERENCES dossier (id),
    words TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
CREATE INDEX version_of_set ON own_dossier_version (set_id);
INSERT INTO own_dossier_version (set_id, dossier_id, base_id, words, at_utc)
SELECT s.id, s.dossier_id, m.dossier_id, 'as it was when versions began', d.taken_in_utc
FROM radio_set s JOIN model m ON m.id = s.model_id JOIN dossier d ON d.id = s.dossier_id WHERE s.dossier_id IS NOT NULL;
CREATE TRIGGER version_stays BEFORE UPDATE ON own_dossier_version BEGIN SELECT RAISE(ABORT, 'versions are append-only'); END;
CREATE TRIGGER version_is_kept BEFORE DELETE ON own_dossier_version BEGIN SELECT RAISE(ABORT, 'versions are append-only'); END;
PRAGMA user_version = 29;
COMMIT;
