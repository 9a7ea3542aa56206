import tempfile
import unittest
from pathlib import Path

from calm_needle.errors import FieldsRefused
from calm_needle.work.jobs import intake
from calm_needle.work.soundness import safe_start
from tests.support import halvern
from tests.support.looked import LOOKED


class ASafeStart(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.conn, self.job_id = halvern.store_with_job(Path(folder.name))
        self.addCleanup(self.conn.close)
        self.clock = halvern.clock()

    def read(self, current: str, rail: str, after_s: float = 60.0) -> None:
        self.clock.go(after_s)
        safe_start.read(self.conn, self.job_id, {"current": current, "rail-rail": rail}, clock=self.clock)

    def test_from_cold_to_an_open_phase(self) -> None:
        for current, rail in (("50m", "90"), ("150m", "175 V")):
            safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
            self.read(current, rail)
        safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
        with self.assertRaises(FieldsRefused):
            safe_start.finish(self.conn, self.job_id)
        for _ in range(12):
            self.read("210m", "249")
        safe_start.finish(self.conn, self.job_id)
        self.assertNotIn("safe start", intake.gate_of(self.conn, self.job_id).sentence)
        self.assertIsNotNone(safe_start.view(self.conn, self.job_id).picture)

    def test_a_healthy_set_that_is_read_before_its_heaters_are_hot_is_not_condemned_for_it(self) -> None:
        for current, rail in (("50m", "90"), ("150m", "175 V")):
            safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
            self.read(current, rail)
        safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
        self.read("120m", "320", after_s=5.0)  # nothing draws current yet
        cold = safe_start.view(self.conn, self.job_id).rails[0].judged
        assert cold
        self.assertEqual(cold.state, "watch")
        self.assertIn("warming, not judged", cold.sentence)
        for _ in range(11):
            self.read("210m", "249")
        safe_start.finish(self.conn, self.job_id)

    def test_far_too_many_volts_are_so_cold_too_and_a_high_rail_is_one_once_it_is_warm(self) -> None:
        for current, rail in (("50m", "90"), ("150m", "175 V")):
            safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
            self.read(current, rail)
        safe_start.climb(self.conn, self.job_id, clock=self.clock, form=LOOKED)
        for volts, after_s in (("450", 5.0), ("320", 80.0)):
            self.read("120m", volts, after_s=after_s)
            judged = safe_start.view(self.conn, self.job_id).rails[0].judged
            assert judged
            self.assertEqual(judged.state, "stop", volts)
            self.assertIn("too high", judged.sentence)

    def test_what_is_read_wrongly_is_refused_whole(self) -> None:
        safe_start.climb(self.conn, self.job_id, form=LOOKED)
        with self.assertRaises(FieldsRefused) as caught:
            self.read("50 V", "ninety")
        self.assertEqual(set(caught.exception.faults), {"current", "rail-rail"})
        with self.assertRaises(FieldsRefused):
            self.read("50m", "ninety")
        self.assertEqual(safe_start.view(self.conn, self.job_id).start.currents_a, ())

    def test_nothing_is_read_with_the_power_off_and_smoke_wants_its_cause(self) -> None:
        with self.assertRaises(FieldsRefused):
            self.read("50m", "90")
        safe_start.climb(self.conn, self.job_id, form=LOOKED)
        safe_start.smoke(self.conn, self.job_id, "")
        for act in (
            lambda: safe_start.climb(self.conn, self.job_id, form=LOOKED),
            lambda: safe_start.found_cause(self.conn, self.job_id, " "),
        ):
            with self.assertRaises(FieldsRefused):
                act()
        safe_start.found_cause(self.conn, self.job_id, "C30 shorted; replaced")
        safe_start.climb(self.conn, self.job_id, form=LOOKED)
        self.assertEqual(safe_start.view(self.conn, self.job_id).start.rung, 0)
