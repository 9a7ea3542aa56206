-- Readings of a start's log that were struck: misread or mistyped. They stay in the log, and count no more.
BEGIN;
CREATE TABLE start_strike (
    entry_id INTEGER PRIMARY KEY REFERENCES start_entry (id),
    reason TEXT NOT NULL,
    at_utc TEXT NOT NULL
) STRICT;
PRAGMA user_version = 27;
COMMIT;
