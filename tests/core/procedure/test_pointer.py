"""A pointer by its returns: scatter, backlash and slip told from each other, of pointers that numpy makes."""

import unittest

import numpy as np

from calm_needle.core.procedure.dial.pointer import SIDES, USUAL_MM, Pointer, Return, pointer_from


def returns(rng: np.random.Generator, *, width_mm: float, backlash_mm: float, slip_mm: float = 0.0, pairs: int = 3) -> list[Return]:
    slipped = np.repeat(np.arange(pairs) * slip_mm, 2)
    beside = rng.normal(0.0, width_mm, 2 * pairs) + np.tile([-backlash_mm / 2.0, backlash_mm / 2.0], pairs) + slipped
    return [Return(SIDES[i % 2], 80.0 + float(mm)) for i, mm in enumerate(beside)]


class Returns(unittest.TestCase):
    def test_backlash_is_found_as_surely_as_six_returns_can(self) -> None:
        rng = np.random.default_rng(1)
        found = [pointer_from(returns(rng, width_mm=0.1, backlash_mm=0.8)) for _ in range(300)]
        backlash = np.array([p.backlash_mm for p in found if p])
        self.assertAlmostEqual(float(backlash.mean()), 0.8, delta=0.02)
        self.assertLess(float(backlash.std()), 0.11)
        self.assertTrue(all(p and p.one_sided for p in found))

    def test_scatter_is_neither_made_nothing_of_by_luck_nor_by_backlash_made_more(self) -> None:
        rng = np.random.default_rng(2)
        for width_mm in (0.05, 0.15, 0.4):
            found = [pointer_from(returns(rng, width_mm=width_mm, backlash_mm=1.0)) for _ in range(300)]
            scatter = np.array([p.scatter_mm for p in found if p])
            self.assertGreater(float(np.quantile(scatter, 0.02)), 0.09)
            if width_mm >= USUAL_MM:
                self.assertAlmostEqual(float(np.median(scatter)) / width_mm, 1.0, delta=0.35)

    def test_a_cord_that_slips_is_told_from_one_that_does_not(self) -> None:
        rng = np.random.default_rng(3)
        slips = [
            bool(p and p.slip_mm) for p in (pointer_from(returns(rng, width_mm=0.1, backlash_mm=0.3, slip_mm=1.5)) for _ in range(200))
        ]
        slipping = [pointer_from(returns(rng, width_mm=0.1, backlash_mm=0.3, slip_mm=1.5)) for _ in range(200)]
        firm = [pointer_from(returns(rng, width_mm=0.1, backlash_mm=0.3)) for _ in range(200)]
        slips, still = ([bool(p and p.slip_mm) for p in found] for found in (slipping, firm))
        self.assertGreater(sum(slips), 190)
        self.assertLess(sum(still), 4)

    def test_two_returns_from_either_end_are_too_few(self) -> None:
        self.assertIsNone(pointer_from(returns(np.random.default_rng(4), width_mm=0.1, backlash_mm=0.0, pairs=2)))

    def test_come_to_from_one_side_its_backlash_counts_no_more(self) -> None:
        self.assertAlmostEqual(Pointer(0.1, 1.0, 0.0, 6).sigma_mm, 0.1)
        self.assertAlmostEqual(Pointer(0.3, 0.4, 0.0, 6).sigma_mm, float(np.hypot(0.3, 0.2)))
