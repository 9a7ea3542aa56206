-- Which change was the last one made when something was measured, heard or tested: order by this, since a clock may be put back.
-- Ids of repairs grow and are never given twice: repairs are append-only.
BEGIN IMMEDIATE;

DROP TRIGGER part_check_stays;
DROP TRIGGER band_check_stays;
DROP TRIGGER retest_stays;
DROP TRIGGER intake_entry_stays;

ALTER TABLE part_check ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE band_check ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE retest ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;
ALTER TABLE intake_entry ADD COLUMN after_repair INTEGER NOT NULL DEFAULT 0;

-- What stands already has only its time.
UPDATE part_check SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r WHERE r.job_id = part_check.job_id AND r.at_utc < part_check.at_utc), 0);
UPDATE band_check SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r WHERE r.job_id = band_check.job_id AND r.at_utc < band_check.at_utc), 0);
UPDATE intake_entry SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r WHERE r.job_id = intake_entry.job_id AND r.at_utc < intake_entry.at_utc), 0);
UPDATE retest SET after_repair = coalesce(
    (SELECT max(r.id) FROM repair r JOIN complaint c ON c.job_id = r.job_id
     WHERE c.id = retest.complaint_id AND r.at_utc <= retest.at_utc), 0);

CREATE TRIGGER part_check_stays BEFORE UPDATE ON part_check BEGIN SELECT RAISE(ABORT, 'part checks are append-only'); END;
CREATE TRIGGER band_check_stays BEFORE UPDATE ON band_check BEGIN SELECT RAISE(ABORT, 'band checks are append-only'); END;
CREATE TRIGGER retest_stays BEFORE UPDATE ON retest BEGIN SELECT RAISE(ABORT, 'retests are append-only'); END;
CREATE TRIGGER intake_entry_stays BEFORE UPDATE ON intake_entry BEGIN SELECT RAISE(ABORT, 'intake entries are append-only'); END;

PRAGMA user_version = 20;
COMMIT;
