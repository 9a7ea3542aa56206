-- A form that is sent twice is done once: the key of what was sent, and where its answer led; empty while it is being done.
BEGIN IMMEDIATE;

CREATE TABLE act_token (
    token TEXT PRIMARY KEY,
    answer TEXT NOT NULL DEFAULT '',
    at_utc TEXT NOT NULL
) STRICT;

PRAGMA user_version = 41;
COMMIT;
