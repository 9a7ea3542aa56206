import json
import tempfile
import unittest
from pathlib import Path

from calm_needle.clock import SYSTEM
from calm_needle.files.readings_csv import write_report
from calm_needle.store.db import transaction
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.jobs import intake
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.record import run_record
from calm_needle.work.soundness import repairs
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into

OLDER_JOB, OLDER_RUN = 1, 1
IF = "intermediate frequency"


class AfterARepair(unittest.TestCase):
    """The older job's strip was aligned; then a resistor at its mixer is replaced."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = Workshop(Path(folder.name))
        self.addCleanup(self.workshop.close)

    def replace(self, part: str) -> None:
        with self.workshop.store() as conn, transaction(conn):
            job = shelf_work.job_of(conn, OLDER_JOB)
            repairs.keep(conn, job, part=part, what="replaced", value=None, words="", at_utc=SYSTEM.text())

    def part_at(self, stage: str) -> str:
        with self.workshop.store() as conn:
            parts = shelf_work.parts_of_job(conn, shelf_work.job_of(conn, OLDER_JOB))
        return next(p.id for p in parts if p.stage == stage)

    def test_the_record_says_that_it_no_longer_stands_and_why(self) -> None:
        self.assertEqual(run_record.record_of(self.workshop, OLDER_RUN).stale, "")
        part = self.part_at("mixer")
        self.replace(part)
        self.assertIn(f"{part} was replaced, which", run_record.record_of(self.workshop, OLDER_RUN).stale)

    def test_a_run_of_what_is_stale_leads_through_that_and_lists_the_rest(self) -> None:
        part = self.part_at("mixer")
        self.replace(part)
        with self.workshop.store() as conn:
            lines = {p.name: p for p in shelf_work.phases_of(conn, shelf_work.job_of(conn, OLDER_JOB))}
            self.assertTrue(lines[IF].partly)
            self.assertIn(f"again: {part} was replaced", lines[IF].words)
            intake.waive(conn, OLDER_JOB, {"reason": "tested elsewhere"})
            book = RunBook(conn, shelf_work.begin_run(conn, OLDER_JOB, IF, in_full=False))
            self.assertEqual([g.id for g in book.plan.groups], ["if-before", "if-cores", "if-after"])
            self.assertEqual([(x.id, x.reason) for x in book.plan.left_out], [("if-trap", "what was changed does not touch it")])
            self.assertIn(f"{part} was replaced", book.plan.groups[1].derived_from)

    def test_done_again_it_stands(self) -> None:
        self.replace(self.part_at("mixer"))
        with self.workshop.store() as conn:
            shelf_work.mark_phase(conn, OLDER_JOB, {"phase": IF, "state": "done", "remark": "peaks at 468.0 kHz"})
        self.assertEqual(run_record.record_of(self.workshop, OLDER_RUN).stale, "")


class InNumbers(unittest.TestCase):
    def test_every_figure_that_was_read_names_its_readings_and_the_file_has_them_all(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            copy_into(Path(name))
            workshop = Workshop(Path(name))
            record = run_record.record_of(workshop, OLDER_RUN)
            shown = {r.reading: (r.value, r.unit) for r in run_record.readings_of_run(workshop, OLDER_RUN)}
            ids = set(shown)
            workshop.close()
        for section in record.sections:
            for row in section.rows:
                for cell in row.cells:
                    if section.name != "set up" and cell is not None and not isinstance(cell, str):
                        self.assertTrue(cell.readings and set(cell.readings) <= ids, (section.name, row))
            for curve in section.curves:
                self.assertTrue(set(curve.readings) <= ids and len(curve.readings) >= len(curve.points))
        for line in (n for n in record.lines if n.found):
            assert line.found
            self.assertEqual((line.found.value, line.found.unit), shown[line.found.readings[0]], "what the meter showed, at its level")
        text = write_report(record.sections)
        numbers = sum(len(r.cells) for s in record.sections for r in s.rows)
        points = sum(len(c.points) for s in record.sections for c in s.curves)
        self.assertEqual(text.count("\r\n") - 1, numbers + points)
        self.assertIn("set up,Generator,set to,468000", text)
        self.assertTrue(json.dumps([s._asdict() for s in record.sections]))
