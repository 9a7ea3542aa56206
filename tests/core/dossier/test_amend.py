"""What was fitted in a set stands in a dossier of its own; the rest of it is as it was, in the papers and in the twin."""

import json
import unittest

from calm_needle.core.dossier.amend import with_padder_adjustable
from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.dial.band import dial_bands
from calm_needle.files.dossiers import load_dossier
from calm_needle.sim.receiver.practice import PracticeReceiver
from tests.support import dossiers

SCOUT = dossiers.model("pellow-scout")
FITTED = with_padder_adjustable(dict(SCOUT.raw), band_id="MW", seized="L2")


class PadderMadeAdjustable(unittest.TestCase):
    def test_it_is_a_dossier_that_is_taken_in_and_the_given_one_is_not_touched(self) -> None:
        load_dossier(json.dumps(FITTED).encode(), name="own.json")
        self.assertNotIn("C11A", json.dumps(SCOUT.raw))

    def test_its_dial_is_solved_with_the_trimmer_and_the_new_padder(self) -> None:
        band = dial_bands(read_model(FITTED))["MW"]
        self.assertEqual(band.adjusters, {"trimmer": "T2", "padder": "C11A"})
        self.assertEqual(set(dial_bands(SCOUT)["MW"].adjusters), {"coil", "trimmer"})

    def test_nothing_else_of_the_twin_is_otherwise_than_before(self) -> None:
        faults = ("oscillator-core-seized",)
        before, after = (PracticeReceiver(m, seed=5, misalign="severe", faults=faults) for m in (SCOUT, read_model(FITTED)))
        after.restore(json.loads(json.dumps(before.state())))
        for name, adjuster in before.adjusters.items():
            self.assertEqual(adjuster.position_turns, after.adjusters[name].position_turns, name)
        self.assertEqual(before.dial.off, after.dial.off)
        self.assertIn("C11A", after.adjusters)
        self.assertFalse(after.turn("C11A", 0.2))

    def test_a_name_that_is_taken_is_not_given_twice(self) -> None:
        twice = {**SCOUT.raw, "parts": [*SCOUT.raw["parts"], {**SCOUT.raw["parts"][0], "id": "C11A"}]}
        names = [a["id"] for a in with_padder_adjustable(twice, band_id="MW")["adjusters"]]
        self.assertEqual(names[-1], "C11B")

    def test_a_band_without_a_padder_has_none_to_replace(self) -> None:
        bands = [{**b, "oscillator_tank": {"l_h": 1e-4, "trim_f": 3e-11}} for b in SCOUT.raw["bands"]]
        with self.assertRaises(KeyError):
            with_padder_adjustable({**SCOUT.raw, "bands": bands}, band_id="MW")


if __name__ == "__main__":
    unittest.main()
