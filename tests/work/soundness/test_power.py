import tempfile
import unittest
from pathlib import Path

from calm_needle.errors import FieldsRefused
from calm_needle.work.bench.bench_view import page, snapshot
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import bands, safe_start
from calm_needle.work.soundness.power import power_of
from tests.support.demo import copy_into
from tests.support.workshops import workshop_in

HALVERN, SCOUT, TYPED = 2, 7, 3


class AtTheBench(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)
        store = self.workshop.store()
        self.conn = store.__enter__()
        self.addCleanup(store.__exit__, None, None, None)

    def test_a_practice_set_is_switched_on_and_off_and_the_page_says_so(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, HALVERN))
        assert meters is not None and meters.practice is not None
        run_id = begin_run(
            self.conn, job_id=HALVERN, phase="intermediate frequency", bench="instruments", at_utc="2026-11-26T09:00:00.000Z"
        )
        book = RunBook(self.conn, run_id)
        self.assertEqual(page(book, None, None)["power"]["state"], "")
        self.assertNotIn("off", snapshot(book, None, None)["advice"]["sentence"])
        safe_start.switch_on(self.conn, HALVERN, meters)
        self.assertEqual((power_of(self.conn, HALVERN).state, meters.practice.share()), ("on", 1.0))
        self.assertGreater(meters.practice.passed_s(), 100.0, "it was left to warm")
        safe_start.let_pass(meters, 600.0)
        safe_start.switch_off(self.conn, HALVERN, meters)
        log = safe_start.view(self.conn, HALVERN).log
        self.assertEqual(power_of(self.conn, HALVERN).since, log[0].at[:5], "as the log says it")
        self.assertEqual(page(book, None, None)["power"]["state"], "off")
        self.assertEqual(snapshot(book, None, None)["advice"]["sentence"], "The set is off.")

    def test_a_set_whose_start_was_stopped_wants_its_cause_first(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, HALVERN))
        safe_start.climb(self.conn, HALVERN, meters)
        safe_start.smoke(self.conn, HALVERN, "a resistor", meters)
        with self.assertRaisesRegex(FieldsRefused, "Write the cause"):
            safe_start.switch_on(self.conn, HALVERN, meters)
        self.assertEqual(power_of(self.conn, HALVERN).state, "stopped")

    def test_a_real_set_is_switched_on_by_a_person(self) -> None:
        with self.assertRaisesRegex(FieldsRefused, "switched on by you"):
            safe_start.switch_on(self.conn, TYPED, None)
        self.assertEqual(power_of(self.conn, TYPED).state, "")

    def test_a_portable_is_heard_by_its_loop(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, SCOUT))
        assert meters is not None
        self.assertEqual(bands.view(self.conn, SCOUT).coupling, "coupling loop")
        safe_start.switch_on(self.conn, SCOUT, meters)
        bands.hear(self.conn, SCOUT, "MW", meters)
        line = bands.view(self.conn, SCOUT).lines[0]
        self.assertEqual((line.readings.generator, line.level, line.verdict.state), ("alive", "not reached", "stop"))
