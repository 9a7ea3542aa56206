-- Which way the hand turned at a reading, where it said so: 1 one way, -1 back, 0 hands off; nothing where it is not known.
BEGIN;
ALTER TABLE reading ADD COLUMN way INTEGER CHECK (way IN (-1, 0, 1));
PRAGMA user_version = 21;
COMMIT;
