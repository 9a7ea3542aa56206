-- How long a phase of a model took a modelled hand on a practice receiver: what the queue reckons with until a workshop has a past of its own.
BEGIN IMMEDIATE;

CREATE TABLE rehearsed (
    id INTEGER PRIMARY KEY,
    dossier_id INTEGER NOT NULL REFERENCES dossier (id),
    phase TEXT NOT NULL,
    seed INTEGER NOT NULL,
    minutes REAL NOT NULL CHECK (minutes >= 0),
    at_utc TEXT NOT NULL,
    UNIQUE (dossier_id, phase, seed)
) STRICT;

PRAGMA user_version = 37;
COMMIT;
