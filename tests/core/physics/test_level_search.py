import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.level_search import CLOSE_ENOUGH, MOST_TRIES, Tried, found, is_alive, next_level, standard_output_v
from tests.support.properties import steady

LEAST_V, MOST_V = 1e-6, 0.1


def search(gain: float, knee_v: float, slope: float, wanted_v: float = 0.387) -> list[Tried]:
    """Search at a set whose output goes with level up to a knee, and with its root of 1 + slope beyond."""
    tried: list[Tried] = []
    while level := next_level(tried, wanted_v=wanted_v, least_v=LEAST_V, most_v=MOST_V):
        free = gain * level
        tried.append(Tried(level, free if free <= knee_v else knee_v * (free / knee_v) ** (1.0 / (1.0 + slope))))
    return tried


class Search(unittest.TestCase):
    @steady
    @given(st.floats(10.0, 2e4), st.floats(0.05, 3.0), st.floats(0.2, 9.0))
    def test_it_finds_the_level_on_either_side_of_the_knee(self, gain: float, knee_v: float, slope: float) -> None:
        tried = search(gain, knee_v, slope)
        highest = tried and max(t.output_v for t in tried)
        if gain * MOST_V <= knee_v and gain * MOST_V < 0.387 * (1 - CLOSE_ENOUGH):
            self.assertIsNone(found(tried, wanted_v=0.387))
        elif highest >= 0.387:
            level = found(tried, wanted_v=0.387)
            assert level is not None, tried
            self.assertLessEqual(len(tried), MOST_TRIES)
            self.assertTrue(LEAST_V <= level <= MOST_V)

    def test_what_the_generator_cannot_give_is_not_found_and_not_tried_for_ever(self) -> None:
        for gain in (0.1, 1e7):
            tried = search(gain, 10.0, 5.0)
            self.assertIsNone(found(tried, wanted_v=0.387))
            self.assertLessEqual(len(tried), 4)
            self.assertTrue(all(LEAST_V <= t.level_v <= MOST_V for t in tried))

    def test_a_silent_set_does_not_divide_by_nothing(self) -> None:
        tried = [Tried(1e-3, 0.0)]
        self.assertEqual(next_level(tried, wanted_v=0.387, least_v=LEAST_V, most_v=MOST_V), MOST_V)


class Heard(unittest.TestCase):
    def test_a_tone_counts_from_six_decibels(self) -> None:
        self.assertTrue(is_alive(with_tone_v=0.2, without_v=0.0999))
        self.assertFalse(is_alive(with_tone_v=0.19, without_v=0.1))
        self.assertFalse(is_alive(with_tone_v=0.0, without_v=0.0))

    def test_fifty_milliwatts(self) -> None:
        self.assertAlmostEqual(standard_output_v(3.0) ** 2 / 3.0, 0.05)
        self.assertAlmostEqual(standard_output_v(8.0), math.sqrt(0.4))
