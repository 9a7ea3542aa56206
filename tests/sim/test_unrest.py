import itertools
import math
import statistics
import unittest

from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.unrest import DISTURBANCES, MEMORY_S, SHARE
from tests.support import dossiers

EVERY_S = 0.05


def readings(*faults: str, seconds: float, seed: int = 1) -> list[float]:
    """Readings (dB about their median) of an aligned Halvern that nobody touches."""
    receiver = PracticeReceiver(dossiers.model("halvern-6b"), seed=seed, misalign="none", faults=faults, clock=lambda: 0.0)
    receiver.wander(share=1e-4, memory_s=1.0)
    receiver.lead, receiver.feed = "V1-g1", Input(468e3, 3e-4, 0.3)
    seen = [20.0 * math.log10(receiver.reading(dt_s=EVERY_S)) for _ in range(round(seconds / EVERY_S))]
    middle = statistics.median(seen)
    return [v - middle for v in seen]


class WhatMakesALevelSeemOtherThanItIs(unittest.TestCase):
    def test_a_set_without_any_stands_still(self) -> None:
        self.assertLess(max(map(abs, readings(seconds=60.0))), 0.1)

    def test_hum_beats_for_ever_with_one_period(self) -> None:
        for seed in range(3):
            seen = readings("hum-beat", seconds=120.0, seed=seed)
            mean = statistics.fmean(seen)
            rising = sum(a < mean <= b for a, b in zip(seen[::4], seen[4::4], strict=False))
            self.assertTrue(0.14 * 120 - 2 < rising < 0.5 * 120 + 2, rising)
            self.assertTrue(1.2 < max(seen) - min(seen) < 4.0)

    def test_a_drift_goes_one_way_and_comes_to_rest(self) -> None:
        for seed in range(3):
            seen = readings("gain-drifts", seconds=900.0, seed=seed)
            first, later, last = (statistics.fmean(part) for part in (seen[:200], seen[6000:6200], seen[-200:]))
            self.assertTrue(1.3 < abs(last - first) < 4.2)
            self.assertGreater((later - first) * (last - first), 0.0)
            self.assertLess(abs(last - statistics.fmean(seen[-2000:-1800])), 0.4)

    def test_a_hand_comes_and_goes(self) -> None:
        seen = readings("hand-near-wire", seconds=300.0, seed=3)
        levels = statistics.quantiles(seen, n=20)
        self.assertGreater(levels[-1] - levels[0], 0.15)
        slow = max(abs(b - a) for a, b in itertools.pairwise(seen))
        self.assertLess(slow, 0.5, "it does not jump")

    def test_a_contact_lets_go_at_once_and_is_back_at_once(self) -> None:
        seen = readings("bad-contact", seconds=300.0, seed=2)
        steps = [b - a for a, b in itertools.pairwise(seen)]
        self.assertLess(min(steps), -1.5)
        self.assertGreater(max(steps), 1.5)
        self.assertGreater(sum(abs(v) < 0.1 for v in seen) / len(seen), 0.75)

    def test_each_is_a_fault_that_any_set_may_have(self) -> None:
        for name in DISTURBANCES:
            self.assertNotEqual(readings(name, seconds=30.0), readings(seconds=30.0), name)


class AsRealMetersAre(unittest.TestCase):
    def test_the_needle_is_unquiet_by_one_per_cent_for_as_long_as_needles_are(self) -> None:
        for seed in range(2):
            receiver = PracticeReceiver(dossiers.model("corvane-r-40"), seed=seed, misalign="none", clock=lambda: 0.0)
            receiver.lead, receiver.feed = "V2-g1", Input(465e3, 5e-5, 0.3)
            seen = [receiver.reading(dt_s=EVERY_S) for _ in range(20000)]
            mean = statistics.fmean(seen)
            self.assertAlmostEqual(statistics.stdev(seen) / mean, SHARE * math.hypot(1.0, 0.3), delta=0.004)
            off = [v - mean for v in seen]
            lag = round(1.0 / EVERY_S)
            kept = sum(a * b for a, b in zip(off, off[lag:], strict=False)) / sum(a * a for a in off)
            self.assertTrue(0.0 <= kept < math.exp(-1.0 / MEMORY_S[1]), kept)
