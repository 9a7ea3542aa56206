"""The search for a level by a criterion: it ends near the truth, says how sure it is, and gives up where nothing is to be found."""

import math
import random
import statistics
import unittest
from collections.abc import Callable

from calm_needle.core.verification.definitions import DEFINITIONS, definition_named
from calm_needle.core.verification.level_for_ratio import MOST_TRIES, Tried, level_of, next_level
from calm_needle.errors import UnknownName

DEPTH = 0.3
RUNS = 60


def s_plus_n(level_v: float, *, at_10_db_v: float) -> float:
    """(S+N)/N of an envelope detector well above its threshold, in a set that needs at_10_db_v for 10 dB."""
    carrier_to_noise = 100.0 * (level_v / at_10_db_v) ** 2
    return 10.0 * math.log10(1.0 + DEPTH**2 * carrier_to_noise)


def search(apart: Callable[[float], float], *, wanted_db: float, slope: tuple[float, float], first_v: float = 1e-4) -> list[Tried]:
    tried: list[Tried] = []
    while level := next_level(tried, wanted_db=wanted_db, slope=slope, least_v=1e-6, most_v=0.1, first_v=first_v):
        tried.append(Tried(level, apart(level)))
    return tried


def one_unsteady(rng: random.Random, scatter_db: float, wander_db: float, memory: float, drift_db: float) -> tuple[float, float, int]:
    """One search in a set that scatters, wanders and drifts: how far it came out beside the level of its last try, its U95, its tries."""
    begins_db, tries, beside_db = rng.uniform(-110.0, -75.0), [0], [rng.gauss(0.0, wander_db)]

    def apart(level_v: float) -> float:
        if tries[0]:
            beside_db[0] = memory * beside_db[0] + math.sqrt(1.0 - memory**2) * rng.gauss(0.0, wander_db)
        now_db = begins_db + drift_db * tries[0]
        tries[0] += 1
        return 10.0 + (20.0 * math.log10(level_v) - now_db) + beside_db[0] + rng.gauss(0.0, scatter_db)

    tried = search(apart, wanted_db=10.0, slope=(1.0, 0.15))
    found = level_of(tried, wanted_db=10.0, slope=(1.0, 0.15))
    assert found
    at_last_db = begins_db + drift_db * (tries[0] - 1) - beside_db[0]
    return 20.0 * math.log10(found.level_v) - at_last_db, found.u95_db, found.near


class Search(unittest.TestCase):
    def test_without_noise_it_ends_within_a_tenth_of_a_decibel_wherever_it_begins(self) -> None:
        wanted, slope = DEFINITIONS["s-plus-n"].apart_db, DEFINITIONS["s-plus-n"].slope
        for truth in (2e-6, 9e-6, 80e-6, 3e-3):
            exact = truth * math.sqrt((10.0 ** (wanted / 10.0) - 1.0) / 9.0)
            for first in (1e-6, 1e-4, 0.1):
                with self.subTest(truth=truth, first=first):
                    tried = search(lambda v, t=truth: s_plus_n(v, at_10_db_v=t), wanted_db=wanted, slope=slope, first_v=first)  # type: ignore[misc]
                    found = level_of(tried, wanted_db=wanted, slope=slope)
                    assert found
                    self.assertLess(abs(20.0 * math.log10(found.level_v / exact)), 0.1)
                    self.assertLessEqual(len(tried), MOST_TRIES)

    def test_its_uncertainty_holds_the_truth_of_the_last_try_nineteen_times_in_twenty(self) -> None:
        for scatter_db, wander_db, memory, drift_db in (
            (0.1, 0.0, 0.0, 0.0),
            (0.3, 0.0, 0.0, 0.0),
            (1.0, 0.0, 0.0, 0.0),
            (0.1, 0.3, 0.8, 0.0),
            (0.1, 0.0, 0.0, 0.1),
            (0.3, 0.0, 0.0, 0.1),
        ):
            with self.subTest(scatter=scatter_db, wander=wander_db, drift=drift_db):
                rng, covered, wide, reads = random.Random(7), 0, [], []
                for _ in range(RUNS):
                    off_db, u95_db, near = one_unsteady(rng, scatter_db, wander_db, memory, drift_db)
                    covered += abs(off_db) <= u95_db
                    wide.append(u95_db)
                    reads.append(near)
                # 95 %, less three standard deviations of such a count. With a drift it is less: few tries do not tell it from scatter.
                self.assertGreaterEqual(covered, (0.76 if drift_db else 0.865) * RUNS)
                self.assertGreaterEqual(min(reads), 7)
                if not (wander_db or drift_db):
                    self.assertLess(statistics.median(wide), 2.2 * 2.0 * scatter_db / math.sqrt(statistics.median(reads)))

    def test_what_cannot_be_reached_ends_and_is_not_made_up(self) -> None:
        deaf = search(lambda _: 0.3, wanted_db=10.0, slope=(1.0, 0.1))
        self.assertIsNone(level_of(deaf, wanted_db=10.0, slope=(1.0, 0.1)))
        self.assertLessEqual(len(deaf), MOST_TRIES)
        ends = [t.level_v for t in deaf]
        self.assertEqual(max(ends), 0.1)  # it has tried the strongest that there is
        loud = search(lambda _: 40.0, wanted_db=10.0, slope=(1.0, 0.1))
        self.assertIsNone(level_of(loud, wanted_db=10.0, slope=(1.0, 0.1)))

    def test_a_gain_control_that_holds_just_above_the_wanted_output_does_not_bend_what_is_found_below_it(self) -> None:
        slope, rng = DEFINITIONS["standard-output"].slope, random.Random(3)
        for knee_db in (0.8, 1.5, 2.5):
            for truth in (2e-6, 20e-6, 150e-6):

                def apart(level_v: float, t: float = truth, knee: float = knee_db) -> float:
                    over = 20.0 * math.log10(level_v / t)
                    return min(over, knee + 0.1 * (over - knee)) + rng.gauss(0.0, 0.1)

                with self.subTest(knee_db=knee_db, truth=truth):
                    tried = search(apart, wanted_db=0.0, slope=slope)
                    found = level_of(tried, wanted_db=0.0, slope=slope)
                    assert found
                    self.assertLess(abs(20.0 * math.log10(found.level_v / truth)), max(0.35, found.u95_db))
                    self.assertLess(len(tried), MOST_TRIES)

    def test_of_a_set_that_is_overloaded_the_level_below_is_found_and_not_that_at_which_it_falls_short_again(self) -> None:
        slope, rng = DEFINITIONS["standard-output"].slope, random.Random(4)
        for truth in (0.5e-3, 2e-3, 6e-3):
            for falls_db in (6.0, 10.0, 14.0):

                def apart(level_v: float, t: float = truth, falls: float = falls_db) -> float:
                    over = 20.0 * math.log10(level_v / t)
                    return min(over, 0.7 - max(0.0, over - falls) * 0.3) + rng.gauss(0.0, 0.05)

                with self.subTest(truth=truth, falls_db=falls_db):
                    found = level_of(search(apart, wanted_db=0.0, slope=slope), wanted_db=0.0, slope=slope)
                    assert found
                    self.assertLess(abs(20.0 * math.log10(found.level_v / truth)), max(0.4, found.u95_db))

    def test_one_wild_reading_does_not_lead_it_astray_for_good(self) -> None:
        wild = [True]

        def apart(level_v: float) -> float:
            odd, wild[0] = wild[0], False
            return 30.0 if odd else s_plus_n(level_v, at_10_db_v=20e-6)

        found = level_of(search(apart, wanted_db=10.0, slope=(0.95, 0.1)), wanted_db=10.0, slope=(0.95, 0.1))
        assert found
        self.assertLess(abs(20.0 * math.log10(found.level_v / 20e-6)), 0.2)


class Definitions(unittest.TestCase):
    def test_each_says_its_criterion_and_modulated_ones_their_modulation(self) -> None:
        for d in DEFINITIONS.values():
            with self.subTest(d.name):
                self.assertEqual(definition_named(d.name), d)
                if d.by_instruments and d.modulated:
                    self.assertIn("400\u00a0Hz", d.words)
        self.assertEqual([d.name for d in DEFINITIONS.values() if d.evidence == "by ear"], ["just-audible"])
        with self.assertRaises(UnknownName):
            definition_named("loud enough")
