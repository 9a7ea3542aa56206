-- What 17 has filled in is kept like everything else.
BEGIN IMMEDIATE;

CREATE TRIGGER act_stays BEFORE UPDATE ON act BEGIN SELECT RAISE(ABORT, 'acts are append-only'); END;
CREATE TRIGGER reading_stays BEFORE UPDATE ON reading BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER run_plan_stays BEFORE UPDATE ON run_plan BEGIN SELECT RAISE(ABORT, 'a plan is never changed'); END;
CREATE TRIGGER run_plan_is_kept BEFORE DELETE ON run_plan BEGIN SELECT RAISE(ABORT, 'a plan is never changed'); END;

PRAGMA user_version = 18;
COMMIT;
