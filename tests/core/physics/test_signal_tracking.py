"""A signal circuit over a band: nothing is lost where it is peaked, and what is lost elsewhere follows from how far it stands off."""

import math
import unittest

from calm_needle.core.physics.dial_fit import Drawn
from calm_needle.core.physics.signal_tracking import tracked
from calm_needle.errors import NoAnswer

MARKS = (525e3, 600e3, 700e3, 800e3, 1000e3, 1200e3, 1400e3, 1605e3)
MW = Drawn(MARKS, 468e3, 1, 96.89e-6, 53.09e-12, 508.9e-12, ("trimmer", "padder"))
L_H = 174.5e-6


class SignalTracking(unittest.TestCase):
    def test_nothing_is_lost_where_it_is_peaked(self) -> None:
        both = tracked(MW, (600e3, 1400e3), l_h=L_H, peaked_hz=(600e3, 1400e3), q=70)
        self.assertLess(both.worst_db, 1e-9)
        one = tracked(MW, (600e3, 1000e3), l_h=L_H, peaked_hz=(1000e3,), q=70)
        self.assertLess(one.loss_db[1], 1e-9)
        self.assertGreater(one.loss_db[0], 1e-6)

    def test_the_loss_is_that_of_a_resonance_so_far_off(self) -> None:
        found = tracked(MW, MARKS, l_h=L_H, peaked_hz=(1400e3,), q=70, circuits=2)
        for f, off, loss in zip(found.dial_hz, found.error_hz, found.loss_db, strict=True):
            stands = f + off  # with the oscillator as drawn it receives where the dial says
            self.assertAlmostEqual(loss, 20.0 * math.log10(1.0 + (70.0 * (f / stands - stands / f)) ** 2), places=6)

    def test_as_drawn_it_tracks_at_three_points_and_errs_either_way_between(self) -> None:
        found = tracked(MW, (600e3, 750e3, 950e3, 1200e3, 1400e3), l_h=L_H, peaked_hz=(600e3, 1400e3), q=70)
        self.assertLess(abs(found.error_hz[2]), 150.0, "the third point, which nothing was peaked at")
        self.assertGreater(found.error_hz[1], 1e3)
        self.assertLess(found.error_hz[3], -1e3)
        self.assertLess(found.worst_db, 1.5)

    def test_a_dial_that_is_off_costs_nothing_where_it_was_peaked_all_the_same(self) -> None:
        found = tracked(MW, (600e3, 1400e3), l_h=L_H, peaked_hz=(600e3, 1400e3), q=70, changes={"padder": -0.1})
        self.assertLess(found.worst_db, 1e-9)

    def test_what_cannot_be_is_said(self) -> None:
        with self.assertRaises(NoAnswer):
            tracked(MW, MARKS, l_h=L_H * 40.0, peaked_hz=(1400e3,), q=70)


if __name__ == "__main__":
    unittest.main()
