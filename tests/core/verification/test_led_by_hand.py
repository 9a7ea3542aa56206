import math
import random
import unittest

from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.core.verification.led_by_hand import MOST, led
from calm_needle.core.verification.level_for_ratio import Tried

TRUE_V = 14e-6


def set_that_needs(true_v: float, name: str, *, rng: random.Random, unsure_db: float = 0.3) -> list[Tried]:
    """What a hand reads that follows the advice on a 1 dB attenuator, until it may keep the level."""
    definition = DEFINITIONS[name]
    tried: list[Tried] = []
    while (now := led(tried, definition, first_v=1e-4)).level_v is not None:
        level_v = 1e-6 * 10.0 ** (round(20.0 * math.log10(now.level_v / 1e-6)) / 20.0)
        apart = definition.apart_db + 0.95 * 20.0 * math.log10(level_v / true_v)
        apart = apart if definition.low == "standard" else max(0.0, apart)  # buried in its own noise, nothing is apart
        tried.append(Tried(level_v, round(apart + rng.gauss(0.0, unsure_db), 1)))
    return tried


class LedByHand(unittest.TestCase):
    def test_it_comes_to_the_level_with_few_readings_whatever_the_definition(self) -> None:
        for seed in range(40):
            rng = random.Random(seed)
            for name in ("s-plus-n", "sinad", "quieting", "standard-output"):
                tried = set_that_needs(TRUE_V, name, rng=rng)
                end = led(tried, DEFINITIONS[name], first_v=1e-4)
                assert end.done and end.found
                off_db = 20.0 * math.log10(end.found.level_v / TRUE_V)
                self.assertLess(abs(off_db), 1.0, (seed, name))
                self.assertLessEqual(len(tried), 9, (seed, name))

    def test_less_a_little_less_here(self) -> None:
        definition = DEFINITIONS["s-plus-n"]
        self.assertIn("Set the generator to 100", led([], definition, first_v=1e-4).advice.sentence)
        first = led([Tried(1e-4, 27.0)], definition, first_v=1e-4)
        self.assertTrue(first.advice.sentence.startswith("Less: −17.9 dB, to 12.7"), first.advice.sentence)
        buried = led([Tried(1e-6, 0.4)], definition, first_v=1e-4)
        self.assertTrue(buried.advice.sentence.startswith("More: +"), buried.advice.sentence)
        near = led([Tried(1e-4, 27.0), Tried(17e-6, 12.4)], definition, first_v=1e-4)
        self.assertTrue(near.advice.sentence.startswith(("A little less", "A hair less")), near.advice.sentence)
        self.assertFalse(near.done)

    def test_a_set_that_never_gets_there_is_said_to_and_nothing_may_be_kept(self) -> None:
        definition = DEFINITIONS["s-plus-n"]
        tried: list[Tried] = []
        while (now := led(tried, definition, first_v=1e-4)).level_v is not None:
            tried.append(Tried(now.level_v, 0.2))
        self.assertLessEqual(len(tried), MOST)
        self.assertFalse(now.done)
        self.assertIn("was not reached", now.advice.sentence)
