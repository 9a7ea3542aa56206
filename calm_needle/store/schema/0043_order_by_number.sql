-- Which change was the last one made when something was done, tried or logged, and which mark when a gate was waived: order by these, since
-- a clock may be put back. Ids grow and are never given twice.
BEGIN IMMEDIATE;

DROP TRIGGER act_stays;
DROP TRIGGER start_entry_stays;
DROP TRIGGER waiver_stays;

ALTER TABLE act ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE start_entry ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE led_try ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE waiver ADD COLUMN after_mark INTEGER NOT NULL DEFAULT 0;

-- What stands already has only its time.
UPDATE act SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r JOIN run ON run.job_id = r.job_id WHERE run.id = act.run_id AND r.at_utc < act.at_utc), 0)
    WHERE EXISTS (SELECT 1 FROM repair);
UPDATE start_entry SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r WHERE r.job_id = start_entry.job_id AND r.at_utc < start_entry.at_utc), 0);
UPDATE led_try SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r JOIN led_search s ON s.job_id = r.job_id WHERE s.id = led_try.search_id AND r.at_utc < led_try.at_utc), 0);
UPDATE waiver SET after_mark = coalesce(
    (SELECT max(m.id) FROM phase_mark m WHERE m.job_id = waiver.job_id AND m.at_utc <= waiver.at_utc), 0);

CREATE TRIGGER act_stays BEFORE UPDATE ON act BEGIN SELECT RAISE(ABORT, 'acts are append-only'); END;
CREATE TRIGGER start_entry_stays BEFORE UPDATE ON start_entry BEGIN SELECT RAISE(ABORT, 'the start log is append-only'); END;
CREATE TRIGGER waiver_stays BEFORE UPDATE ON waiver BEGIN SELECT RAISE(ABORT, 'waivers are append-only'); END;

PRAGMA user_version = 43;
COMMIT;
