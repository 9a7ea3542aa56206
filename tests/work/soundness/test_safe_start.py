import tempfile
import unittest
from pathlib import Path

from calm_needle.errors import FieldsRefused
from calm_needle.work.jobs import intake
from calm_needle.work.soundness import safe_start
from tests.support import halvern


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
            safe_start.climb(self.conn, self.job_id)
            self.read(current, rail)
        safe_start.climb(self.conn, self.job_id)
        with self.assertRaises(FieldsRefused):
            safe_start.finish(self.conn, self.job_id)
        for _ in range(12):
            self.read("210m", "249")
        safe_start.finish(self.conn, self.job_id)
        self.assertNotIn("safe start", intake.gate_of(self.conn, self.job_id).sentence)
        self.assertIsNotNone(safe_start.view(self.conn, self.job_id).picture)

    def test_what_is_read_wrongly_is_refused_whole(self) -> None:
        safe_start.climb(self.conn, self.job_id)
        with self.assertRaises(FieldsRefused) as caught:
            self.read("50 V", "ninety")
        self.assertEqual(set(caught.exception.faults), {"current", "rail-rail"})
        with self.assertRaises(FieldsRefused):
            self.read("50m", "ninety")
        self.assertEqual(safe_start.view(self.conn, self.job_id).start.currents_a, ())

    def test_nothing_is_read_with_the_power_off_and_smoke_wants_its_cause(self) -> None:
        with self.assertRaises(FieldsRefused):
            self.read("50m", "90")
        safe_start.climb(self.conn, self.job_id)
        safe_start.smoke(self.conn, self.job_id, "")
        for act in (lambda: safe_start.climb(self.conn, self.job_id), lambda: safe_start.found_cause(self.conn, self.job_id, " ")):
            with self.assertRaises(FieldsRefused):
                act()
        safe_start.found_cause(self.conn, self.job_id, "C30 shorted; replaced")
        safe_start.climb(self.conn, self.job_id)
        self.assertEqual(safe_start.view(self.conn, self.job_id).start.rung, 0)
