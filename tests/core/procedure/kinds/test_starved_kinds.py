"""Steps whose readings come late or in bunches, other than by peaks: each advice ends in a result that is so, or names what disturbs it.

What is adjusted follows laws of its own here, and the hand knows nothing but what is said.
"""

import math
import random
import unittest
from collections.abc import Callable, Iterator

from calm_needle.core.dossier.model import TUNING_ID
from calm_needle.core.procedure.judge import Standing
from tests.core.procedure.kinds.test_kinds import Stay

SEEDS = range(6)
MOST_TOUCHES = 25  # with one and the same advice
NAMED = ("wandering", "too_fast", "skewed")


def late(rng: random.Random) -> Iterator[float]:
    """Seconds from one reading to the next: a hundredth to two, as likely short as long by their order of magnitude."""
    while True:
        yield 0.01 * 200.0 ** rng.random()


def bunched(rng: random.Random) -> Iterator[float]:
    """A few one right after the other, then nothing for up to two seconds."""
    while True:
        yield rng.uniform(0.2, 2.0)
        for _ in range(rng.randrange(1, 12)):
            yield 0.03


class Starved(unittest.TestCase):
    """One stay after the other, each by a hand that does what is said for at most MOST_TOUCHES touches without another advice."""

    def each(self, kind: str, go: Callable[[Stay, random.Random, Callable[..., None]], None]) -> None:
        for seed in SEEDS:
            for comes in (late, bunched):
                with self.subTest(seed=seed, comes=comes.__name__):
                    rng = random.Random(f"{seed} {kind}")
                    stay, gaps = Stay(kind), comes(rng)

                    def reads(value: float, *, stay: Stay = stay, gaps: Iterator[float] = gaps, **more: object) -> None:
                        stay.read(value, kind="live", every_s=next(gaps), **more)

                    go(stay, rng, reads)

    def follow(self, stay: Stay, touch: Callable[[Standing], None]) -> Standing:
        row: list[str] = []
        while True:
            standing = stay.stands()
            if standing.may_take or standing.verdict in NAMED:
                return standing
            row.append(standing.verdict)
            self.assertFalse(len(row) > MOST_TOUCHES and len(set(row[-MOST_TOUCHES - 1 :])) == 1, standing.advice)
            self.assertLess(len(row), 200, standing.advice)
            touch(standing)


class ZeroCross(Starved):
    def centred(self, unrest: float) -> list[Standing]:
        """A discriminator that goes through zero at 0.37 turns, with a hump of 2 V a third of a turn to either side."""
        out: list[Standing] = []

        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            at, way, last = -0.4, 1, 0.0

            def value() -> float:
                x = (at - 0.37) / 0.33
                return 4.0 * x / (1.0 + x * x) + rng.gauss(0.0, unrest)

            def touch(standing: Standing) -> None:
                nonlocal at, way, last
                if standing.move.way == "search" or not stay.series.watched:
                    at += 0.1 * way
                elif standing.move.way == "approach":
                    off = stay.series.watched[-1].value
                    way = -way if last * off <= 0.0 else way  # it is told to come back; once through zero, back again
                    last = off
                    at += way * min(0.1, 0.06 * abs(off))
                for _ in range(3):
                    reads(value(), turns={stay.step.adjusters[0]: at})

            out.append(self.follow(stay, touch))
            if out[-1].may_take:
                self.assertLess(abs(at - 0.37), 0.02)

        self.each("zero_cross", go)
        return out

    def test_it_ends_on_zero(self) -> None:
        self.assertTrue(all(s.verdict == "zero" for s in self.centred(0.004)))

    def test_what_goes_by_more_than_the_tolerance_is_said_to_wander(self) -> None:
        self.assertEqual({s.verdict for s in self.centred(0.12)} - {"zero"}, {"wandering"})


class Window(Starved):
    def test_a_slow_meter_tells_that_it_stays_inside(self) -> None:
        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            at = 0.0

            def touch(standing: Standing) -> None:
                nonlocal at
                at += {"low": 0.01, "high": -0.007}.get(standing.verdict, 0.0)
                for _ in range(2):
                    reads(0.05 + 0.9 * at + rng.gauss(0.0, 0.001), turns={stay.step.adjusters[0]: at})

            self.assertEqual(self.follow(stay, touch).verdict, "inside")
            self.assertTrue(0.2 <= 0.05 + 0.9 * at <= 0.25)

        self.each("window", go)

    def test_a_needle_that_goes_beyond_both_limits_is_said_to_wander(self) -> None:
        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            standing = self.follow(stay, lambda _: reads(0.225 + rng.gauss(0.0, 0.04), turns={stay.step.adjusters[0]: 1.0}))
            self.assertIn(standing.verdict, ("wandering", "inside"))

        self.each("window", go)


class Rock(Starved):
    def rocked(self, swing_s: float) -> list[Standing]:
        """A signal tuned in at 3 of the tuning's hundredths, a padder whose crest is at 0.3 turns; one swing lasts so long."""
        out: list[Standing] = []

        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            at, way = 0.0, 1
            slower = [1.0]

            def level(tuning: float) -> float:
                crest = 0.2 / math.hypot(1.0, (at - 0.3) / 0.15)
                return crest / math.hypot(1.0, (tuning - 0.02 * at) / 0.004)

            def swing() -> None:
                t, began_s = 0.0, stay.t_s
                while t < swing_s * slower[0]:
                    tuning = 0.02 * math.cos(2.0 * math.pi * t / (swing_s * slower[0]))
                    reads(level(tuning), turns={"C20": at, TUNING_ID: tuning})
                    t = stay.t_s - began_s

            def touch(standing: Standing) -> None:
                nonlocal at, way
                if standing.verdict in ("falling", "past"):
                    way = -way if standing.verdict == "falling" else (1 if at < 0.3 else -1)
                at += 0.06 * way if standing.verdict != "past" else 0.03 * way
                swing()

            standing = self.follow(stay, touch)
            while standing.verdict == "too_fast" and slower[0] < 60.0:  # it is obeyed
                slower[0] *= 2.0
                swing()
                standing = self.follow(stay, touch) if stay.stands().verdict != "too_fast" else stay.stands()
            out.append(standing)
            if standing.may_take:
                self.assertLess(abs(at - 0.3), 0.08)

        self.each("rock", go)
        return out

    def test_swung_too_fast_it_says_so_and_slowly_enough_it_finds_the_highest_crest(self) -> None:
        said = self.rocked(2.0)
        self.assertLessEqual({s.verdict for s in said}, {"crest", "too_fast"})
        self.assertGreater(sum(s.verdict == "crest" for s in said), len(said) // 2)


class Centre(Starved):
    def test_edges_marked_late_are_edges_all_the_same(self) -> None:
        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            middle = 468e3 + rng.uniform(-2e3, 2e3)

            def touch(standing: Standing) -> None:
                nonlocal middle
                if standing.verdict == "off":
                    middle -= (standing.figure.value - 468e3) * rng.uniform(0.6, 1.2) if standing.figure else 0.0
                for edge in (middle - 3e3, middle + 3e3):
                    reads(edge)

            self.assertEqual(self.follow(stay, touch).verdict, "centred")
            self.assertLess(abs(middle - 468e3), 500.0)

        self.each("centre", go)


class Shape(Starved):
    def test_a_response_swept_in_bunches_is_the_response(self) -> None:
        def go(stay: Stay, rng: random.Random, reads: Callable[..., None]) -> None:
            middle = 468e3 + rng.choice((-1.0, 1.0)) * rng.uniform(0.0, 1.5e3)

            def touch(standing: Standing) -> None:
                nonlocal middle
                if standing.verdict == "outside":
                    middle -= (standing.detail["centre_hz"] - 468e3) * rng.uniform(0.6, 1.1)
                points = [456e3 + 1e3 * i for i in range(25)]
                stay.sweep(*((f, 0.2 / math.sqrt(1.0 + ((f - middle) / 2.6e3) ** 8)) for f in points))

            self.assertEqual(self.follow(stay, touch).verdict, "inside")
            self.assertLess(abs(middle - 468e3), 450.0)

        self.each("shape", go)


class Wait(Starved):
    def waited(self, unrest: float, *, seconds: float) -> list[Standing]:
        """It has drifted by 40 Hz, with a time constant of half a minute; at most 3 Hz a minute are wanted."""
        out: list[Standing] = []
        for seed in SEEDS[:4]:
            for comes in (late, bunched):
                rng = random.Random(f"{seed} wait")
                stay, gaps = Stay("wait", least_s=20.0, rate_per_min=3.0, over_s=60.0), comes(rng)
                while not (standing := stay.stands(began_s=0.0)).may_take and stay.t_s < seconds:
                    value = 468e3 + 40.0 * math.exp(-stay.t_s / 30.0) + rng.gauss(0.0, unrest)
                    stay.read(value, kind="live", every_s=next(gaps))
                out.append(standing)
                if standing.may_take:  # what drifts faster than that is not called slow
                    self.assertLess(60.0 * 40.0 / 30.0 * math.exp(-(stay.t_s - 30.0) / 30.0), 6.0)
        return out

    def test_it_is_over_when_the_drift_is_and_not_before(self) -> None:
        self.assertEqual({s.verdict for s in self.waited(0.5, seconds=400.0)}, {"over"})

    def test_what_wanders_too_much_to_tell_is_said_to(self) -> None:
        self.assertEqual({s.verdict for s in self.waited(300.0, seconds=120.0)}, {"wandering"})


if __name__ == "__main__":
    unittest.main()
