import unittest

from calm_needle.core.physics.band_plan import lanes, meetings
from calm_needle.core.physics.superhet import what_is_heard


class BandPlan(unittest.TestCase):
    def test_every_frequency_of_a_band_side_by_side(self) -> None:
        plan = {x.name: (x.low_hz, x.high_hz) for x in lanes(low_hz=525e3, high_hz=1605e3, if_hz=468e3, side="above")}
        self.assertEqual(plan["oscillator"], (993e3, 2073e3))
        self.assertEqual(plan["image"], (1461e3, 2541e3))
        self.assertEqual(plan["IF"], (468e3, 468e3))

    def test_what_would_lie_below_nothing_is_left_out(self) -> None:
        names = [x.name for x in lanes(low_hz=600e3, high_hz=1500e3, if_hz=455e3, side="below")]
        self.assertNotIn("image", names)
        self.assertIn("oscillator", names)

    def test_bands_overlap_or_leave_a_gap(self) -> None:
        met = meetings([("C", 3.2e6, 9e6), ("A", 0.5e6, 1.3e6), ("B", 1.25e6, 3.1e6)])
        self.assertEqual([(m.lower, m.upper, round(m.overlap_hz)) for m in met], [("A", "B", 50000), ("B", "C", -100000)])


class WhatIsHeard(unittest.TestCase):
    def heard(self, receives_hz: float, *, sign: int = 1) -> str:
        return what_is_heard(receives_hz=receives_hz, mark_hz=1.4e6, if_hz=468e3, sign=sign)

    def test_the_signal_its_image_the_other_side_and_the_intermediate_frequency(self) -> None:
        self.assertEqual(self.heard(1.43e6), "signal")
        self.assertEqual(self.heard(1.4e6 + 936e3), "image")
        self.assertEqual(self.heard(468.5e3), "intermediate frequency")
        self.assertEqual(self.heard(1.4e6 - 936e3 + 30e3), "other side")
        self.assertEqual(self.heard(1.4e6 - 936e3 + 30e3, sign=-1), "image")
