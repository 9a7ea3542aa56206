import math
import random
import unittest
from collections.abc import Callable, Iterable

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.procedure.advice import turns_in_words
from calm_needle.core.procedure.kinds.level import advise
from calm_needle.core.procedure.watch.peak_watch import Goal, PeakWatch, Verdict
from tests.support.properties import steady
from tests.support.synthetic_streams import SHAPES, make_stream, tally_of

WIDTH = 0.35  # turns from the crest to a loss of 3 dB


def resonance(turns: float, *, crest: float = 1.0) -> float:
    return -10.0 * math.log10(1.0 + ((turns - crest) / WIDTH) ** 2)


def watch_of(
    path: Iterable[float],
    law: Callable[[float], float] = resonance,
    *,
    noise_db: float = 0.03,
    turns_known: bool = True,
    step_s: float = 0.05,
    goal: Goal = "maximum",
    stops: tuple[float, float] = (-99.0, 99.0),
) -> PeakWatch:
    rng = random.Random(7)
    watch = PeakWatch(goal=goal)
    for i, turns in enumerate(path):
        level = law(turns) * (1.0 if goal == "maximum" else -1.0) + rng.gauss(0.0, noise_db)
        watch.add(
            level_db=level,
            time_s=i * step_s,
            turns=turns if turns_known else None,
            at_stop=turns <= stops[0] or turns >= stops[1],
            alone=step_s > 0.3,
        )
    return watch


def glide(start: float, end: float, *, speed: float = 0.2, step_s: float = 0.05) -> list[float]:
    count = max(1, round(abs(end - start) / (speed * step_s)))
    return [start + (end - start) * i / count for i in range(count + 1)]


def rest(at: float, readings: int = 40) -> list[float]:
    return [at] * readings


class OverManyStreams(unittest.TestCase):
    """The first 500 of the streams that `./run bench peak_watch` judges by the ten thousand."""

    def test_no_false_peak_and_none_without_a_fall_on_both_sides(self) -> None:
        tally = tally_of(range(500))
        print(tally)
        self.assertEqual(tally.streams, 500)
        self.assertEqual(tally.called_without_both_falls, 0)
        self.assertLess(tally.false_from_12_db / tally.streams_from_12_db, 0.001)
        # Never saying anything would make no mistake either.
        self.assertGreater(tally.called, 0.7 * tally.with_peak)

    def test_the_streams_are_what_they_are_said_to_be(self) -> None:
        streams = [make_stream(seed) for seed in range(100)]
        self.assertEqual({s.shape for s in streams}, set(SHAPES))
        self.assertEqual({s.with_turns for s in streams}, {True, False})
        self.assertTrue(all(6.0 <= s.swing_to_wander_db <= 40.0 for s in streams))
        self.assertEqual(make_stream(42), make_stream(42))


class WhatIsSeenOnTheWay(unittest.TestCase):
    def test_rising_then_past_then_on_the_crest(self) -> None:
        for turns_known in (True, False):
            with self.subTest(turns_known=turns_known):
                up = glide(0.2, 0.8)
                self.assertEqual(watch_of(up, turns_known=turns_known).verdict().kind, "rising")
                over = [*up, *glide(0.8, 1.5), *rest(1.5)]
                self.assertEqual(watch_of(over, turns_known=turns_known).verdict().kind, "past")
                back = [*over, *glide(1.5, 1.0, speed=0.1), *rest(1.0)]
                self.assertEqual(watch_of(back, turns_known=turns_known).verdict().kind, "crest")

    def test_with_turns_the_way_back_is_told_to_a_fiftieth_of_a_turn(self) -> None:
        verdict = watch_of([*glide(0.2, 1.6), *rest(1.6)]).verdict()
        assert verdict.turns_to_crest is not None
        self.assertAlmostEqual(verdict.turns_to_crest, -0.6, delta=0.02)

    def test_a_fall_on_one_side_only_is_no_peak(self) -> None:
        for path in (glide(1.0, 2.0), glide(1.0, 0.0), [*rest(1.0), *glide(1.0, 2.0)]):
            verdict = watch_of(path).verdict()
            self.assertFalse(verdict.peak_seen, verdict)
        self.assertEqual(watch_of([*rest(1.0), *glide(1.0, 1.5)]).verdict().kind, "falling")

    def test_nothing_happens(self) -> None:
        verdict = watch_of(glide(0.0, 2.0), lambda t: 0.02 * t).verdict()
        self.assertEqual(verdict.kind, "flat")

    def test_a_core_known_not_to_have_been_turned_is_never_said_to_do_nothing(self) -> None:
        self.assertEqual(watch_of(rest(1.0, readings=800)).verdict().kind, "steady")
        self.assertEqual(watch_of(rest(1.0, readings=800), turns_known=False).verdict().kind, "flat")

    def test_the_end_of_travel_while_it_still_rises(self) -> None:
        path = [*glide(0.0, 0.7), *rest(0.7)]
        self.assertEqual(watch_of(path, stops=(0.0, 0.7)).verdict().kind, "end_stop")

    def test_two_humps_point_to_the_higher_one(self) -> None:
        def law(turns: float) -> float:
            return max(resonance(turns, crest=0.6), resonance(turns, crest=2.2) - 2.0)

        verdict = watch_of([*glide(0.0, 2.3), *rest(2.3)], law).verdict()
        self.assertEqual(verdict.kind, "two_humps")
        assert verdict.turns_to_crest is not None
        self.assertAlmostEqual(verdict.turns_to_crest, -1.7, delta=0.1)

    def test_a_ripple_on_the_plain_beside_a_null_is_no_second_one(self) -> None:
        def law(turns: float) -> float:
            return 25.0 + resonance(turns) if turns < 2.4 else 1.0 + 0.4 * math.cos(4.0 * turns)

        verdict = watch_of([*glide(0.0, 5.0), *rest(5.0)], lambda t: max(0.0, law(t)), goal="minimum").verdict()
        self.assertEqual(verdict.kind, "past")

    def test_a_needle_that_wanders_is_not_judged(self) -> None:
        self.assertEqual(watch_of(glide(0.8, 1.2), noise_db=6.0).verdict().kind, "wandering")

    def test_a_null_is_a_crest_upside_down(self) -> None:
        watch = watch_of([*glide(0.2, 1.6), *glide(1.6, 1.0, speed=0.1), *rest(1.0)], goal="minimum")
        verdict = watch.verdict()
        self.assertEqual(verdict.kind, "crest")
        assert verdict.crest_db is not None
        self.assertAlmostEqual(verdict.crest_db, 0.0, delta=0.1)

    def test_typed_readings_are_judged_however_quickly_they_are_typed(self) -> None:
        levels = [-9.0, -7.5, -5.0, -2.6, -1.0, -0.2, -0.1, -0.9, -2.0, -3.8]
        watch = PeakWatch()
        for i, level in enumerate(levels):
            watch.add(level_db=level, time_s=0.01 * i, alone=True)
        verdict = watch.verdict()
        self.assertEqual(verdict.kind, "past")
        self.assertAlmostEqual(verdict.gain_left_db or 0.0, 3.7, delta=0.1)

    def test_few_readings_say_nothing(self) -> None:
        watch = PeakWatch()
        for i, level in enumerate([0.0, 3.0, 0.0]):
            watch.add(level_db=level, time_s=2.0 * i, alone=True)
        self.assertEqual(watch.verdict().kind, "waiting")


class Invariance(unittest.TestCase):
    @steady
    @given(st.floats(-80, 40), st.floats(0, 1e6))
    def test_another_reference_level_or_hour_changes_no_verdict(self, offset_db: float, offset_s: float) -> None:
        rng = random.Random(3)
        one, other = PeakWatch(), PeakWatch()
        for i, turns in enumerate([*glide(0.4, 1.5), *glide(1.5, 1.0)]):
            level = resonance(turns) + rng.gauss(0.0, 0.05)
            one.add(level_db=level, time_s=i * 0.05, turns=turns)
            other.add(level_db=level + offset_db, time_s=i * 0.05 + offset_s, turns=turns)
            if i % 20 == 0:
                self.assertEqual(one.verdict().kind, other.verdict().kind)

    def test_the_other_way_round_is_the_same_crest(self) -> None:
        there, back = watch_of([*glide(0.0, 2.0), *rest(2.0)]), watch_of([*glide(2.0, 0.0), *rest(0.0)])
        fits = there.crest_fit(), back.crest_fit()
        assert fits[0] and fits[1]
        self.assertAlmostEqual(fits[0].turns, fits[1].turns, delta=0.03)
        self.assertAlmostEqual(fits[0].half_width_turns, WIDTH, delta=0.03)


class Words(unittest.TestCase):
    def test_the_advice_says_what_to_do_and_why(self) -> None:
        verdict = watch_of([*glide(0.2, 1.5), *rest(1.5)]).verdict()
        advice = advise(verdict, phrase="the upper core of IFT1")
        self.assertEqual(advice.sentence, "Past the crest. Come back about half a turn, anticlockwise.")
        self.assertRegex(advice.evidence, r"^It fell \d\.\d dB on one side and \d\.\d dB on the other: a true peak")

    def test_every_verdict_has_words(self) -> None:
        for kind in (
            "waiting",
            "rising",
            "falling",
            "further",
            "steady",
            "past",
            "hold",
            "crest",
            "flat",
            "end_stop",
            "two_humps",
            "wandering",
        ):
            for goal in ("maximum", "minimum"):
                with self.subTest(kind, goal=goal):
                    advice = advise(Verdict(kind), phrase="the core", goal=goal)
                    self.assertTrue(advice.sentence.endswith("."))
                    self.assertTrue(advice.evidence.endswith("."))

    @steady
    @given(st.floats(-20, 20))
    def test_amounts_of_turning_have_no_sign(self, turns: float) -> None:
        self.assertNotIn("-", turns_in_words(turns))
        self.assertEqual(turns_in_words(turns), turns_in_words(-turns))
