"""The boat-house set from its first power to sound: four faults, one on top of the other, found by what the bench reads and mended."""

import tempfile
import unittest
from pathlib import Path

from calm_needle.core.verdict import Verdict
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import bands, guided, guided_meters, health, parts_sweep, repairs, safe_start
from tests.support.demo import copy_into
from tests.support.looked import LOOKED
from tests.support.workshops import workshop_in

JOB = 4
WEAK = ("C16", "P1")  # kinds that one pass does not clear


class FromFirstPowerToSound(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        workshop = workshop_in(Path(folder.name))
        self.addCleanup(workshop.close)
        store = workshop.store()
        self.conn = store.__enter__()
        self.addCleanup(store.__exit__, None, None, None)
        meters = workshop.meters_for(job_of(self.conn, JOB))
        assert meters is not None
        self.meters = meters

    def start(self) -> Verdict:
        """Up the ladder, and watched for ten minutes."""
        for _ in range(3):
            safe_start.climb(self.conn, JOB, self.meters, form=LOOKED)
            safe_start.let_pass(self.meters, 60.0)
            safe_start.measure(self.conn, JOB, self.meters, electrodes=False)
        for _ in range(2):
            safe_start.let_pass(self.meters, 300.0)
            safe_start.measure(self.conn, JOB, self.meters, electrodes=True)
        return safe_start.view(self.conn, JOB).finish

    def sweep(self, *only: str) -> dict[str, str]:
        """Have the meters read the parts, valves typed from the tester; the verdicts that are not “in”."""
        out = {}
        for _, lines, _ in parts_sweep.view(self.conn, JOB).regions:
            for line in lines:
                if not only or line.part.id in only:
                    form = {"part": line.part.id, "value": "84" if line.part.kind == "device" else "", "seen": str(line.seen)}
                    out[line.part.id] = parts_sweep.enter(self.conn, JOB, form, lambda: self.meters).verdict.state
        return {part: state for part, state in out.items() if state != "in"}

    def change(self, part: str) -> None:
        repairs.record(self.conn, JOB, {"part": part, "what": "replaced", "looked_over": "yes"}, self.meters)
        repairs.quick_test(self.conn, JOB, {"outcome": "better", "words": "as it should be"})

    def mend_the_transformer(self) -> None:
        work_id = guided.begin(self.conn, JOB, {"piece": "open-capacitor", "subject": "IFT2-p", "sister": "IFT1-p"})
        for stage, typed, read in (
            ("answers", {"turns_tried": "2", "change_db": "0.1"}, ()),
            ("winding", {}, ("ohm_here", "ohm_sister", "l_min_h", "l_max_h")),
            ("dip", {"across_f": "100p"}, ("dip_db", "dip_across_db")),
            ("choose", {"if_hz": "468k"}, ()),
            ("measured", {"c_measured_f": "110p"}, ()),
            ("after", {}, ("peak_percent",)),
        ):
            form = {"stage": stage, **typed}
            for name in read:
                form[name] = guided_meters.measure(self.conn, JOB, work_id, {**form, "read": name}, self.meters).typed
            guided.answer(self.conn, JOB, work_id, form, self.meters)
        guided.end(self.conn, JOB, work_id, {"outcome": "through", "words": ""})
        repairs.quick_test(self.conn, JOB, {"outcome": "better", "words": "heard on every band"})

    def test_each_repair_unmasks_the_next(self) -> None:
        self.assertIn("sags while it warms", self.start().sentence)
        bands.hear(self.conn, JOB, "MW", self.meters)
        said = " ".join(bands.view(self.conn, JOB).lines[1].verdict.sentences)
        self.assertRegex(said, "more than the papers say|No level of the generator")
        safe_start.switch_off(self.conn, JOB, self.meters)

        self.assertEqual(self.sweep(), {"R4": "out", "L5": "out", "C16-i": "out", **dict.fromkeys(WEAK, "cannot say")})
        for part in ("R4", "C16", "L5"):
            self.change(part)
        self.assertEqual(self.sweep("R4", "C16", "C16-i", "L5", "P1"), {})  # the new C16 is of no weak kind; P1 has passed twice
        self.mend_the_transformer()

        self.assertEqual(self.start().state, "good")
        for band in ("LW", "MW", "SW"):
            bands.hear(self.conn, JOB, band, self.meters)
        safe_start.finish(self.conn, JOB)
        safe_start.switch_off(self.conn, JOB, self.meters)
        bands.read_coils(self.conn, JOB, self.meters)
        bands.keep(self.conn, JOB, {"coil-SW": "0.4", "coupling": "dummy aerial"})
        self.assertTrue(bands.view(self.conn, JOB).whole.passed, bands.view(self.conn, JOB).whole.sentence)
        health.mark_phase(self.conn, JOB, {"phase": "health", "state": "done"})
