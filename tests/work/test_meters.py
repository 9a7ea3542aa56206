"""The meters over real sockets: a workshop with its stand-ins, a set under their probes, nobody soldering anything."""

import math
import tempfile
import unittest
from pathlib import Path

from calm_needle.errors import FieldsRefused, InstrumentGone, InstrumentRefused
from calm_needle.work import bands, parts_sweep, repairs, safe_start
from calm_needle.work.meters import Meters
from calm_needle.work.shelf import job_of
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into

DUNLIN, TYPED = 5, 3


class UnderTheProbes(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = Workshop(Path(folder.name))
        self.addCleanup(self.workshop.close)

    def test_from_power_to_a_new_part(self) -> None:
        with self.workshop.store() as conn:
            found = self.workshop.meters_for(job_of(conn, DUNLIN))
            assert found is not None
            meters: Meters = found
            safe_start.climb(conn, DUNLIN, meters)
            safe_start.let_pass(meters, 60.0)
            safe_start.measure(conn, DUNLIN, meters, electrodes=True)
            shown = safe_start.view(conn, DUNLIN)
            self.assertEqual(shown.climb.state, "good")
            self.assertTrue(all(r.last_v is not None for r in (*shown.rails, *shown.electrodes)))
            with self.assertRaises(InstrumentRefused) as caught:  # an ohmmeter on a set that is on
                meters.part("R11", kind="resistor", in_circuit=False)
            self.assertIn("switch the set off", str(caught.exception))
            safe_start.switch_off(conn, DUNLIN, meters)

            line = parts_sweep.enter(conn, DUNLIN, {"part": "R11", "value": ""}, lambda: meters)
            self.assertEqual(line.verdict.state, "out")
            self.assertAlmostEqual(meters.part("R11", kind="resistor", in_circuit=False).value, 101.5, delta=1.0)
            self.assertLess(meters.part("R10", kind="resistor", in_circuit=True).value, 1.01 * 560e3 * 1.2)
            with self.assertRaises(FieldsRefused):
                parts_sweep.enter(conn, DUNLIN, {"part": "V3-e", "value": ""}, lambda: meters)
            repairs.record(conn, DUNLIN, {"part": "R11", "what": "replaced", "looked_over": "yes"}, meters)
            self.assertAlmostEqual(meters.part("R11", kind="resistor", in_circuit=False).value / 180.0, 1.0, delta=0.03)
            self.assertEqual(parts_sweep.enter(conn, DUNLIN, {"part": "R11", "value": ""}, lambda: meters).verdict.state, "in")

            bands.read_coils(conn, DUNLIN, meters)
            self.assertIn("Ω", bands.view(conn, DUNLIN).lines[0].coil)
            self.assertTrue(math.isinf(meters.henries("R1").value))
            self.workshop.stand_ins.unplug()
            with self.assertRaises(InstrumentGone):
                meters.volts("rail")

    def test_a_job_with_typed_readings_has_no_meters_and_what_is_not_there_is_said(self) -> None:
        with self.workshop.store() as conn:
            self.assertIsNone(self.workshop.meters_for(job_of(conn, TYPED)))
        bare = Meters()
        for ask in (lambda: bare.volts("rail"), lambda: bare.henries("L1"), lambda: bare.part("R1", kind="resistor", in_circuit=False)):
            with self.assertRaises(FieldsRefused) as caught:
                ask()
            self.assertIn("Add it on the instruments’ page", str(caught.exception))
        with self.assertRaises(FieldsRefused):
            safe_start.let_pass(bare, 60.0)
