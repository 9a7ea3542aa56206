-- What the instruments of the workshop were checked against, when, and how sure they are since. The last check of a quantity counts.
BEGIN IMMEDIATE;

CREATE TABLE instrument_check (
    id INTEGER PRIMARY KEY,
    instrument TEXT NOT NULL,
    quantity TEXT NOT NULL,
    serial TEXT NOT NULL DEFAULT '',
    checked_on TEXT NOT NULL,
    due_on TEXT,
    against TEXT NOT NULL,
    found_off REAL,
    uncertainty REAL NOT NULL CHECK (uncertainty >= 0),
    at_utc TEXT NOT NULL
) STRICT;

CREATE TRIGGER instrument_check_stays BEFORE UPDATE ON instrument_check BEGIN SELECT RAISE(ABORT, 'checks are append-only'); END;
CREATE TRIGGER instrument_check_is_kept BEFORE DELETE ON instrument_check BEGIN SELECT RAISE(ABORT, 'checks are append-only'); END;

PRAGMA user_version = 33;
COMMIT;
