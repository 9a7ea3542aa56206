"""Sections of a gang: what is put in comes out, and a section as drawn needs nothing."""

import random
import unittest

from calm_needle.core.physics.dial_fit import Drawn
from calm_needle.core.physics.gang_sections import Section, foretell, most_unequal, section_of
from calm_needle.errors import OutOfRange

MARKS = (525e3, 600e3, 700e3, 800e3, 1000e3, 1200e3, 1400e3, 1605e3)
MW = Drawn(MARKS, 468e3, 1, 96.89e-6, 53.09e-12, 508.9e-12, ("trimmer", "padder"))


def read(section: Section, places: tuple[float, ...] = MARKS, *, noise: float = 0.0, seed: int = 0) -> list[tuple[float, float]]:
    gang_f, u, _ = MW.gang(places)
    rng = random.Random(seed)
    true = gang_f * (1.0 + section.value + section.shape * u) + section.across_f
    return [(f, float(c) * (1.0 + rng.gauss(0.0, noise))) for f, c in zip(places, true, strict=True)]


class GangSections(unittest.TestCase):
    def test_what_was_put_in_comes_out(self) -> None:
        found = section_of(MW, read(Section(0.02, -0.01, 6e-12, 0.0)))
        self.assertAlmostEqual(found.value, 0.02, places=7)
        self.assertAlmostEqual(found.shape, -0.01, places=7)
        self.assertAlmostEqual(found.across_f, 6e-12, places=17)
        self.assertLess(found.left, 1e-7)

    def test_a_meter_good_to_a_fifth_of_a_percent_tells_a_percent(self) -> None:
        found = [section_of(MW, read(Section(0.01, 0.0, 5e-12, 0.0), noise=0.002, seed=s)) for s in range(20)]
        self.assertLess(max(abs(f.value - 0.01) for f in found), 0.008)

    def test_as_drawn_the_dial_is_right_and_what_lies_across_is_taken_up(self) -> None:
        self.assertLess(foretell(MW, Section(0.0, 0.0, 0.0, 0.0)).worst_before_hz, 1.0)
        across = foretell(MW, Section(0.0, 0.0, 3e-12, 0.0))
        self.assertGreater(across.worst_before_hz, 10e3)
        self.assertLess(across.worst_after_hz, 20.0)

    def test_value_is_nearly_taken_up_and_shape_is_not(self) -> None:
        value, shape = foretell(MW, Section(0.02, 0.0, 0.0, 0.0)), foretell(MW, Section(0.0, 0.02, 0.0, 0.0))
        self.assertLess(value.worst_after_hz, 0.35 * value.worst_before_hz)
        self.assertLess(shape.worst_after_hz, shape.worst_before_hz)
        self.assertGreater(shape.worst_after_hz, 200.0)

    def test_a_donor_is_compared_with_the_one_that_the_dial_is_right_with(self) -> None:
        old = Section(0.03, 0.01, 4e-12, 0.0)
        self.assertLess(foretell(MW, old, instead_of=old).worst_before_hz, 1.0)

    def test_sections_that_differ_shift_a_circuit_the_way_they_should(self) -> None:
        found = most_unequal(MW, read(Section(0.0, 0.0, 2e-12, 0.0)), read(Section(0.01, 0.0, 9e-12, 0.0)))
        self.assertAlmostEqual(found.share, 0.01, places=6)
        self.assertLess(found.shifts_hz, 0.0, "more capacitance is a lower frequency")
        self.assertLess(abs(found.shifts_hz), 0.005 * found.dial_hz)

    def test_two_places_are_too_few(self) -> None:
        with self.assertRaises(OutOfRange):
            section_of(MW, read(Section(0.0, 0.0, 0.0, 0.0), (600e3, 1400e3)))


if __name__ == "__main__":
    unittest.main()
