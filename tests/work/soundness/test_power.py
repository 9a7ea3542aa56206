import tempfile
import unittest
from pathlib import Path

from calm_needle.errors import FieldsRefused
from calm_needle.work.bench.bench_view import page, snapshot
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.bar import job_bar
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import bands, parts_sweep, repairs, safe_start
from calm_needle.work.soundness.power import power_of, why_live, why_silent
from tests.support.demo import copy_into
from tests.support.looked import LOOKED
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
        self.assertEqual(page(book, None, None)["power"].state, "")
        self.assertNotIn("off", snapshot(book, None, None)["advice"]["sentence"])
        safe_start.switch_on(self.conn, HALVERN, meters)
        self.assertEqual((power_of(self.conn, HALVERN).state, meters.practice.share()), ("on", 1.0))
        self.assertGreater(meters.practice.passed_s(), 100.0, "it was left to warm")
        safe_start.let_pass(meters, 600.0)
        safe_start.switch_off(self.conn, HALVERN, meters)
        log = safe_start.view(self.conn, HALVERN).log
        self.assertEqual(power_of(self.conn, HALVERN).since, log[0].at[:5], "as the log says it")
        self.assertEqual(page(book, None, None)["power"].state, "off")
        self.assertEqual(snapshot(book, None, None)["advice"]["sentence"], "The set is off.")

    def test_a_set_whose_start_was_stopped_wants_its_cause_first(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, HALVERN))
        safe_start.climb(self.conn, HALVERN, meters, form=LOOKED)
        safe_start.smoke(self.conn, HALVERN, "a resistor", meters)
        with self.assertRaisesRegex(FieldsRefused, "Write the cause"):
            safe_start.switch_on(self.conn, HALVERN, meters)
        self.assertEqual(power_of(self.conn, HALVERN).state, "stopped")

    def stands(self) -> tuple[str, bool]:
        """How the power of the typed job stands, and whether it may be live."""
        power = power_of(self.conn, TYPED)
        return power.state, power.live

    def test_of_a_real_set_a_person_says_it_and_what_is_said_is_kept_even_after_smoke(self) -> None:
        self.assertEqual(
            (power_of(self.conn, TYPED).state, power_of(self.conn, TYPED).live), ("", True), "what nobody has said may be live"
        )
        safe_start.switch_on(self.conn, TYPED, None)
        self.assertEqual(power_of(self.conn, TYPED).state, "on")
        safe_start.smoke(self.conn, TYPED, "")
        self.assertEqual(self.stands(), ("stopped", False))
        safe_start.switch_on(self.conn, TYPED, None)
        self.assertTrue(power_of(self.conn, TYPED).live, "a live set is never called off")
        safe_start.switch_off(self.conn, TYPED)
        self.assertEqual(
            (power_of(self.conn, TYPED).state, power_of(self.conn, TYPED).live), ("stopped", False), "its cause first, all the same"
        )

    def test_a_start_that_is_through_leaves_the_set_on_and_everybody_says_so(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, HALVERN))
        assert meters is not None
        for rung in range(3):
            safe_start.climb(self.conn, HALVERN, meters, form=LOOKED)
            safe_start.let_pass(meters, 60.0)
            safe_start.measure(self.conn, HALVERN, meters, electrodes=False)
            if rung < 2:
                silent = why_silent(self.conn, HALVERN)
                self.assertIn("W lamp, at", silent)
                with self.assertRaisesRegex(FieldsRefused, "Climb to full power first"):
                    bands.hear(self.conn, HALVERN, "MW", meters)
        for _ in range(4):
            safe_start.let_pass(meters, 300.0)
            safe_start.measure(self.conn, HALVERN, meters, electrodes=False)
        safe_start.finish(self.conn, HALVERN)
        power = power_of(self.conn, HALVERN)
        self.assertEqual((power.state, power.live, why_silent(self.conn, HALVERN)), ("on", True, ""))
        self.assertIn(f"on since {power.since}", job_bar(self.conn, HALVERN).power.words)
        run_id = begin_run(
            self.conn, job_id=HALVERN, phase="intermediate frequency", bench="instruments", at_utc="2026-11-26T09:00:00.000Z"
        )
        book = RunBook(self.conn, run_id)
        self.assertEqual(page(book, None, None)["power"], power)
        self.assertNotIn("off", snapshot(book, None, None)["advice"]["sentence"])
        for refused in (
            lambda: parts_sweep.enter(self.conn, HALVERN, {"part": "R1", "value": "1k", "seen": "0"}, lambda: meters),
            lambda: repairs.record(self.conn, HALVERN, {"part": "R1", "what": "replaced", "looked_over": "yes"}, meters),
            lambda: entries.add(self.conn, HALVERN, {"kind": "taps", "winding": "T1", "pairs": "1-2 4.1"}),
            lambda: bands.read_coils(self.conn, HALVERN, meters),
        ):
            with self.assertRaisesRegex(FieldsRefused, f"The set is on since {power.since}. Switch it off, pull the plug"):
                refused()
        safe_start.switch_off(self.conn, HALVERN, meters)
        parts_sweep.enter(self.conn, HALVERN, {"part": "R1", "value": "1k", "seen": "0", "sure-value": "1k"}, lambda: meters)

    def test_a_current_that_was_too_high_is_live_until_its_power_is_said_to_be_cut(self) -> None:
        safe_start.climb(self.conn, TYPED, form=LOOKED)
        safe_start.read(self.conn, TYPED, {"current": "0.2"})
        power = power_of(self.conn, TYPED)
        self.assertEqual((power.state, power.live), ("stopped", True))
        self.assertIn(
            "200\u2009mA is at or over the limit of 120\u2009mA, behind a 40 W lamp", safe_start.view(self.conn, TYPED).climb.sentence
        )
        self.assertIn("Its current was too high", why_live(self.conn, TYPED))
        safe_start.switch_off(self.conn, TYPED)
        self.assertEqual((power_of(self.conn, TYPED).state, why_live(self.conn, TYPED)), ("stopped", ""))

    def test_what_was_not_right_at_the_look_keeps_the_power_off_until_it_is(self) -> None:
        with self.assertRaises(FieldsRefused) as left:
            safe_start.climb(self.conn, TYPED, form={**LOOKED, "look-fuse": ""})
        self.assertEqual(list(left.exception.faults), ["look-fuse"])
        with self.assertRaisesRegex(FieldsRefused, "Power stays off"):
            safe_start.climb(self.conn, TYPED, form={**LOOKED, "look-lead": "no"})
        shown = safe_start.view(self.conn, TYPED)
        self.assertEqual((shown.start.rung, len(shown.not_right)), (-1, 1))
        safe_start.climb(self.conn, TYPED, form=LOOKED)
        safe_start.switch_off(self.conn, TYPED)
        safe_start.climb(self.conn, TYPED)  # looked over already, and nothing was changed since
        safe_start.switch_off(self.conn, TYPED)
        repairs.record(self.conn, TYPED, {"part": "R1", "what": "replaced", "looked_over": "yes"})
        with self.assertRaises(FieldsRefused):
            safe_start.climb(self.conn, TYPED)

    def test_work_at_the_bench_says_that_it_is_on_and_a_new_day_asks(self) -> None:
        run_id = begin_run(self.conn, job_id=TYPED, phase="intermediate frequency", bench="typed", at_utc="2026-11-26T09:00:00.000Z")
        RunBook(self.conn, run_id).set_everything()
        self.assertEqual((power_of(self.conn, TYPED).state, power_of(self.conn, TYPED).asked), ("on", False))
        with self.assertRaises(FieldsRefused):
            safe_start.say_still_on(self.conn, TYPED)
        self.workshop.clock.wait(86_400.0)
        self.assertTrue(power_of(self.conn, TYPED).asked)
        safe_start.say_still_on(self.conn, TYPED)
        power = power_of(self.conn, TYPED)
        self.assertEqual((power.state, power.asked), ("on", False))

    def test_what_is_typed_of_a_set_that_is_not_straight_on_is_asked_about(self) -> None:
        safe_start.climb(self.conn, TYPED, form=LOOKED)
        with self.assertRaises(FieldsRefused) as asked:
            bands.keep(self.conn, TYPED, {"generator-MW": "dead"})
        self.assertIn("Climb to full power first", asked.exception.faults["generator-MW"])
        self.assertEqual(asked.exception.asks, {"generator-MW": "It was straight on when this was read"})
        self.assertIsNone(bands.view(self.conn, TYPED).lines[0].readings.generator, "no band is written down as dead behind a lamp")
        bands.keep(self.conn, TYPED, {"generator-MW": "alive", "was_on": "yes"})

    def test_a_portable_is_heard_by_its_loop(self) -> None:
        meters = self.workshop.meters_for(job_of(self.conn, SCOUT))
        assert meters is not None
        self.assertEqual(bands.view(self.conn, SCOUT).coupling, "coupling loop")
        safe_start.switch_on(self.conn, SCOUT, meters)
        bands.hear(self.conn, SCOUT, "MW", meters)
        line = bands.view(self.conn, SCOUT).lines[0]
        self.assertEqual((line.readings.generator, line.level, line.verdict.state), ("alive", "not reached", "stop"))
