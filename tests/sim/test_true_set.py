"""What a practice set really is: plates that lean by a law of their own, a pointer that does not come back, and sets from outside."""

import json
import random
import statistics
import unittest
from itertools import pairwise

from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.read import read_model
from calm_needle.errors import FieldsRefused
from calm_needle.sim.receiver.dial import length_mm
from calm_needle.sim.receiver.gang_law import BENT_F, BENT_SHARE, bent
from calm_needle.sim.receiver.pointer import Drive, Pointer
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.true_set import be_true
from tests.support import halvern


def receiver(seed: int = 1) -> PracticeReceiver:
    return PracticeReceiver(read_model(filled_in(json.loads(halvern.content()))[0]), seed=seed)


class Plates(unittest.TestCase):
    def test_they_lean_smoothly_and_by_no_more_than_half_a_per_cent_and_half_a_picofarad(self) -> None:
        for seed in range(40):
            plates = bent(random.Random(seed))
            shares = [plates.share(i / 200.0) for i in range(201)]
            farads = [plates.farads(i / 200.0) for i in range(201)]
            self.assertLess(max(map(abs, shares)), 1.02 * BENT_SHARE)
            self.assertLess(max(map(abs, farads)), 1.02 * BENT_F)
            self.assertGreater(max(shares) - min(shares), 0.5 * BENT_SHARE)
            self.assertLess(max(abs(b - a) for a, b in pairwise(shares)), 0.1 * BENT_SHARE)

    def test_sections_of_one_gang_differ(self) -> None:
        dial = receiver().dial
        self.assertNotEqual(dial.gang_f("MW", 1e6), dial.gang_f("MW", 1e6, section="aerial"))


class Returns(unittest.TestCase):
    def test_a_pointer_comes_back_beside_by_its_width_and_by_its_backlash_from_either_side(self) -> None:
        dial = receiver().dial
        dial.select("MW")
        dial.pointer = Pointer(Drive(0.2, 0.6), seed=1)
        beside: dict[str, list[float]] = {"below": [], "above": []}
        for _ in range(300):
            for side, seen in beside.items():
                dial.point(1e6, come_from=side)
                seen.append(dial.pointer.beside_mm)
        self.assertEqual(dial.dial_hz, 1e6)
        self.assertAlmostEqual(statistics.fmean(beside["below"]) - statistics.fmean(beside["above"]), 0.6, delta=0.07)
        self.assertAlmostEqual(statistics.stdev(beside["below"]), 0.2, delta=0.03)
        stands = dial.pointer.beside_mm
        dial.point(1e6)
        self.assertEqual(dial.pointer.beside_mm, stands)  # who does not move it moves nothing

    def test_what_it_stands_beside_is_what_the_gang_has_more_or_less(self) -> None:
        dial = receiver().dial
        dial.select("MW")
        dial.point(1e6)
        straight = dial.gang_f()
        dial.pointer.beside_mm = 1.0
        self.assertLess(dial.gang_f(), straight)  # towards the upper end it has less
        self.assertGreater(length_mm(dial.bands["MW"]), 100.0)


class FromOutside(unittest.TestCase):
    def test_a_gang_parts_and_a_pointer_are_taken_as_they_are_given(self) -> None:
        there = receiver()
        be_true(
            there,
            {
                "gang": [{"section": "oscillator", "band": "MW", "angle_deg": [0, 90, 180], "capacitance_f": [4e-10, 1e-10, 2.5e-11]}],
                "parts": {"MW": {"oscillator": {"l_h": 9.5e-5}}},
                "pointer": {"width_mm": 0.1, "backlash_mm": 0.4, "cord_slip_mm": 0.2},
            },
        )
        low, high = there.dial.bands["MW"].f_low_hz, there.dial.bands["MW"].f_high_hz
        self.assertAlmostEqual(there.dial.gang_f("MW", low) * 1e12, 400.0, places=6)
        self.assertAlmostEqual(there.dial.gang_f("MW", high) * 1e12, 25.0, places=6)
        self.assertNotAlmostEqual(there.dial.gang_f("SW", there.dial.bands["SW"].f_low_hz) * 1e12, 400.0, places=1)
        assert there.chain.oscillator
        self.assertAlmostEqual(there.chain.oscillator.tanks["MW"].l_h * 1e6, 95.0, places=6)
        self.assertEqual(there.dial.pointer.drive, Drive(0.1, 0.4, 0.2))

    def test_one_with_faults_is_refused_whole_with_every_fault_named(self) -> None:
        there = receiver()
        before = there.dial.gang_f("MW", 1e6)
        with self.assertRaises(FieldsRefused) as refused:
            be_true(
                there,
                {
                    "gang": [
                        {"section": "oscillator", "angle_deg": [0, 180], "capacitance_f": [4e-10, 2e-11]},
                        {"section": "no such", "angle_deg": [0, 90], "capacitance_f": [1e-10, -1e-11]},
                    ],
                    "parts": {"MW": {"oscillator": {"l_h": 0, "colour": 1}}, "XW": {"oscillator": {"l_h": 1e-4}}},
                    "pointer": {"width_mm": -1},
                    "weather": "fair",
                },
            )
        named = set(refused.exception.faults)
        self.assertLessEqual(
            {
                "gang[1].section",
                "gang[1].angle_deg",
                "parts.MW.oscillator.l_h",
                "parts.MW.oscillator.colour",
                "parts.XW.oscillator",
                "pointer.width_mm",
                "weather",
            },
            named,
        )
        self.assertEqual(there.dial.gang_f("MW", 1e6), before)
