-- The journal of a job, read from the tables that keep its facts: one row a fact, in the order of its table.
-- epoch is the last repair before it, where the row kept that. A repair comes before all else of its epoch, so it stands first.
BEGIN IMMEDIATE;

CREATE VIEW fact_row (job_id, place, source, row_id, kind, subject, detail, happened_utc, epoch, about_source, about_id) AS
    SELECT job_id, 0, 'repair', id, 'repair', 'part:' || part, json_object('what', what, 'value', value, 'words', words), at_utc,
        id, NULL, NULL
    FROM repair
    UNION ALL
    SELECT r.job_id, 1, 'quick_test', q.id, 'quick test', 'part:' || r.part, json_object('outcome', q.outcome, 'words', q.words),
        q.at_utc, NULL, 'repair', q.repair_id
    FROM quick_test q JOIN repair r ON r.id = q.repair_id
    UNION ALL
    SELECT job_id, 2, 'complaint', id, 'complaint', 'set', json_object('words', words, 'place', place), opened_utc, NULL, NULL, NULL
    FROM complaint
    UNION ALL
    SELECT c.job_id, 3, 'retest', t.id, 'retest', 'set', json_object('outcome', t.outcome, 'words', t.words, 'cover', t.cover),
        t.at_utc, t.after_repair, 'complaint', t.complaint_id
    FROM retest t JOIN complaint c ON c.id = t.complaint_id
    UNION ALL
    SELECT job_id, 4, 'intake_entry', id, kind, 'set', detail, at_utc, after_repair, NULL, NULL
    FROM intake_entry
    UNION ALL
    SELECT e.job_id, 5, 'entry_outcome', o.id, 'outcome', 'set', json_object('outcome', o.outcome, 'words', o.words), o.at_utc,
        NULL, 'intake_entry', o.entry_id
    FROM entry_outcome o JOIN intake_entry e ON e.id = o.entry_id
    UNION ALL
    SELECT e.job_id, 6, 'start_entry', e.id, CASE e.kind WHEN 'look' THEN 'power look' WHEN 'rung' THEN 'power step' WHEN 'cut' THEN
        'power cut' WHEN 'cause' THEN 'power cause' WHEN 'off' THEN 'power off' WHEN 'still' THEN 'power still on' WHEN 'finish'
        THEN 'power-up finished' ELSE e.kind END, CASE e.kind WHEN 'rail' THEN 'point:' || json_extract(e.detail, '$.point') ELSE
        'set' END, e.detail, e.at_utc, e.after_repair, NULL, NULL
    FROM start_entry e
    UNION ALL
    SELECT e.job_id, 7, 'start_strike', s.rowid, 'discard', 'set', json_object('reason', s.reason), s.at_utc, NULL, 'start_entry',
        s.entry_id
    FROM start_strike s JOIN start_entry e ON e.id = s.entry_id
    UNION ALL
    SELECT job_id, 8, 'part_check', id, 'part check', 'part:' || part, json_object('value', value, 'in_circuit', in_circuit,
        'replaced', replaced, 'marked', marked, 'leads', leads), at_utc, after_repair, NULL, NULL
    FROM part_check
    UNION ALL
    SELECT job_id, 9, 'band_check', id, 'band check', 'band:' || band, json_object('what', kind, 'heard', heard, 'value', value,
        'coupling', coupling), at_utc, after_repair, NULL, NULL
    FROM band_check
    UNION ALL
    SELECT job_id, 10, 'band_note', id, 'band note', 'band:' || band, json_object('what', kind, 'words', words), at_utc, NULL, NULL,
        NULL
    FROM band_note
    UNION ALL
    SELECT job_id, 11, 'image_ratio', id, 'image ratio', 'band:' || band, json_object('dial_hz', dial_hz, 'signal_v', signal_v,
        'image_v', image_v, 'most_v', most_v, 'how', how), at_utc, NULL, NULL, NULL
    FROM image_ratio
    UNION ALL
    SELECT job_id, 12, 'guided_work', id, 'guide', 'set', json_object('piece', piece, 'about', subject), at_utc, NULL, NULL, NULL
    FROM guided_work
    UNION ALL
    SELECT w.job_id, 13, 'guided_end', e.rowid, 'guide ended', 'set', json_object('outcome', e.outcome, 'words', e.words), e.at_utc,
        NULL, 'guided_work', e.work_id
    FROM guided_end e JOIN guided_work w ON w.id = e.work_id
    UNION ALL
    SELECT job_id, 14, 'photograph', id, 'photograph', 'set', json_object('caption', caption), at_utc, NULL, NULL, NULL
    FROM photograph
    UNION ALL
    SELECT job_id, 15, 'recording', id, 'recording', 'set', json_object('words', words, 'input', input), at_utc, NULL, NULL, NULL
    FROM recording
    UNION ALL
    SELECT job_id, 16, 'reckoning', id, 'calculation', 'set', json_object('sentence', sentence), at_utc, NULL, NULL, NULL
    FROM reckoning
    UNION ALL
    SELECT job_id, 17, 'phase_mark', id, 'phase', 'phase:' || phase, json_object('state', state, 'remark', remark), at_utc, NULL,
        NULL, NULL
    FROM phase_mark
    UNION ALL
    SELECT job_id, 18, 'run', id, 'run', 'phase:' || phase, json_object('run', id), started_utc, NULL, NULL, NULL
    FROM run
    UNION ALL
    SELECT job_id, 19, 'waiver', id, 'waiver', 'set', json_object('reason', reason), at_utc, NULL, NULL, NULL
    FROM waiver
    UNION ALL
    SELECT job_id, 20, 'measurement', id, 'measurement', 'band:' || coalesce(band, ''), json_object('what', kind, 'measured',
        json(measured), 'cover', cover), at_utc, after_repair, NULL, NULL
    FROM measurement
    UNION ALL
    SELECT m.job_id, 21, 'measurement_strike', s.rowid, 'discard', 'set', json_object('reason', s.reason), s.at_utc, NULL,
        'measurement', s.measurement_id
    FROM measurement_strike s JOIN measurement m ON m.id = s.measurement_id;

PRAGMA user_version = 45;
COMMIT;
