import math
import random
import unittest
from collections.abc import Callable, Iterable, Sequence
from itertools import pairwise
from typing import get_args

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.procedure.advice import turns_in_words
from calm_needle.core.procedure.kinds.level import Words
from calm_needle.core.procedure.watch.peak_watch import Goal, Kind, PeakWatch, Verdict
from calm_needle.work.watching import read_stream, summary
from tests.support.needle_streams import CLASSES, PEAKLESS, streams
from tests.support.properties import steady

WIDTH = 0.35  # turns from the crest to a loss of 3 dB
KEY_LATE = 5  # readings from the hand that turns back to its key


def resonance(turns: float, *, crest: float = 1.0) -> float:
    return -10.0 * math.log10(1.0 + ((turns - crest) / WIDTH) ** 2)


def glide(*places: float, speed: float = 0.15) -> list[float]:
    """Turns at twenty readings a second, steadily from place to place."""
    out = [places[0]]
    for start, end in pairwise(places):
        count = max(1, round(abs(end - start) / (speed * 0.05)))
        out += [start + (end - start) * (i + 1) / count for i in range(count)]
    return out


def rest(at: float, readings: int = 60) -> list[float]:
    return [at] * readings


def watch_of(
    path: Sequence[float],
    law: Callable[[float], float] = resonance,
    *,
    known: str = "turns",
    noise_db: float = 0.03,
    goal: Goal = "maximum",
    stops: tuple[float, float] = (-99.0, 99.0),
    wrong: Iterable[int] = (),
    seen: list[Verdict] | None = None,
) -> PeakWatch:
    """The watch over a path. known: turns, way or nothing. wrong: readings that are 10 dB too high. seen: gets what is said on the way."""
    rng = random.Random(7)
    watch = PeakWatch(goal=goal)
    ways = [(b > a) - (b < a) for a, b in zip(path, [*path[1:], path[-1]], strict=True)]
    said: int | None = None
    for i, turns in enumerate(path):
        said = ways[max(0, i - KEY_LATE)] or said or 0
        off = i < 60 and path[i] == path[0]
        level = law(turns) * (1.0 if goal == "maximum" else -1.0) + rng.gauss(0.0, noise_db) + (10.0 if i in wrong else 0.0)
        watch.add(
            level_db=level,
            time_s=i * 0.05,
            turns=turns if known == "turns" else None,
            way=(0 if off else said) if known == "way" else 0 if known == "nothing" and off else None,
            at_stop=turns <= stops[0] or turns >= stops[1],
        )
        if seen is not None and i % 4 == 0:
            seen.append(watch.verdict())
    return watch


def typed(readings: Sequence[float], ways: Sequence[int | None] = ()) -> PeakWatch:
    watch = PeakWatch()
    for i, volts in enumerate(readings):
        watch.add(level_db=20.0 * math.log10(volts), time_s=0.01 * i, alone=True, way=ways[i] if ways else None)
    return watch


class OnStreamsOfRealBenches(unittest.TestCase):
    """The first seeds of the streams that `./run bench watch` judges by the hundred."""

    SEEDS = range(12)

    def judged(self, name: str, known: str) -> list[tuple[dict[str, object], dict[str, object]]]:
        return [(s["truth"], summary(read_stream(s))) for s in streams(name, seeds=self.SEEDS, known=known)]

    def test_what_is_no_peak_is_never_called_one_where_the_hand_is_known(self) -> None:
        sent_back = count = 0
        for name in PEAKLESS:
            for known in ("turns", "way"):
                for truth, said in self.judged(name, known):
                    count += 1
                    self.assertFalse(truth["peak"])
                    self.assertIsNone(said["proven_s"], (name, known))
                    self.assertIsNone(said["take_s"], (name, known))
                    sent_back += said["past_s"] is not None
        self.assertLessEqual(sent_back, 0.08 * count)

    def test_a_true_peak_is_noticed_and_one_crossed_twice_is_proven(self) -> None:
        for known in ("turns", "way"):
            self.assertTrue(all(said["past_s"] is not None for _, said in self.judged("plain-peak", known)))
            self.assertTrue(all(said["proven_s"] is not None for _, said in self.judged("twice-through", known)))

    def test_where_nothing_is_known_nothing_is_proven_and_a_crest_crossed_twice_is_offered(self) -> None:
        for name in CLASSES:
            for _, said in self.judged(name, "nothing"):
                self.assertIsNone(said["proven_s"], name)
                if name in PEAKLESS and name not in ("hum-beat", "swinging-on-the-flank"):
                    self.assertIsNone(said["take_s"], name)
        offered = [said["take_s"] is not None for _, said in self.judged("twice-through", "nothing")]
        self.assertGreaterEqual(sum(offered), 0.9 * len(offered))


class WhatIsSeenOnTheWay(unittest.TestCase):
    START = rest(0.2)

    def test_hands_off_then_rising_then_past_then_proven_on_the_way_back(self) -> None:
        for known in ("turns", "way"):
            with self.subTest(known):
                self.assertEqual(watch_of(self.START[:40], known=known).verdict().kind, "hands_off")
                up = [*self.START, *glide(0.2, 0.8)]
                self.assertEqual(watch_of(up, known=known).verdict().kind, "rising")
                over = [*self.START, *glide(0.2, 1.6)]
                self.assertEqual(
                    (watch_of(over, known=known).verdict().kind, watch_of(over, known=known).verdict().evidence), ("past", "once")
                )
                back = [*self.START, *glide(0.2, 1.6), *glide(1.6, 1.0, speed=0.06), *rest(1.0)]
                self.assertEqual(
                    (watch_of(back, known=known).verdict().kind, watch_of(back, known=known).verdict().evidence), ("crest", "proven")
                )

    def test_the_same_path_of_which_nothing_is_known_is_never_proven(self) -> None:
        back = [*self.START, *glide(0.2, 1.6), *glide(1.6, 1.0, speed=0.06), *rest(1.0)]
        verdict = watch_of(back, known="nothing").verdict()
        self.assertEqual(verdict.evidence, "once")
        self.assertNotIn(verdict.kind, ("crest", "twice"))
        again = [*back, *glide(1.0, 0.4, 1.6, speed=0.1), *glide(1.6, 1.0, speed=0.06), *rest(1.0)]
        offered = watch_of(again, known="nothing").verdict()
        self.assertEqual((offered.kind, offered.evidence), ("twice", "twice"))
        self.assertIn("if your hand went through it, this is it", Words("the core").advice(offered).sentence)

    def test_a_level_that_comes_back_without_the_hand_is_no_proof(self) -> None:
        # A slow beat: the hand turns back at its own times, and the needle does not care.
        path = [*rest(0.0), *glide(0.0, 0.5, 0.0, 0.6, 0.1)]
        watch = PeakWatch()
        for i, (turns, after) in enumerate(zip(path, [*path[1:], path[-1]], strict=True)):
            way = 0 if i < 60 else 1 if after > turns else -1
            watch.add(level_db=0.8 * math.sin(2 * math.pi * 0.09 * i * 0.05), time_s=i * 0.05, way=way)
            self.assertNotEqual(watch.verdict().evidence, "proven")

    def test_a_reading_that_no_neighbour_shares_is_no_crest(self) -> None:
        up = [*self.START, *glide(0.2, 0.9)]
        for known in ("turns", "way", "nothing"):
            self.assertEqual(watch_of(up, known=known, wrong=(100,)).verdict().evidence, "none")

    def test_a_hand_on_the_wire_is_no_crest(self) -> None:
        watch = PeakWatch()
        for i in range(400):
            level = 1.5 if 150 <= i < 190 else 0.0
            watch.add(level_db=level + random.Random(i).gauss(0.0, 0.03), time_s=i * 0.05, way=0 if i < 60 else 1)
            self.assertEqual(watch.verdict().evidence, "none")

    def test_with_turns_the_way_back_is_told_to_a_fiftieth_of_a_turn(self) -> None:
        verdict = watch_of([*self.START, *glide(0.2, 1.6), *rest(1.6)]).verdict()
        assert verdict.turns_to_crest is not None
        self.assertAlmostEqual(verdict.turns_to_crest, -0.6, delta=0.02)

    def test_a_fall_on_one_side_only_is_no_peak(self) -> None:
        for path in ([*rest(1.0), *glide(1.0, 2.0)], [*rest(1.0), *glide(1.0, 0.0)]):
            for known in ("turns", "way", "nothing"):
                self.assertEqual(watch_of(path, known=known).verdict().evidence, "none")

    def test_found_on_its_crest_it_is_proven_after_both_sides_were_tried(self) -> None:
        path = [*rest(1.0), *glide(1.0, 1.3, 0.6, speed=0.1), *glide(0.6, 1.0, speed=0.06), *rest(1.0)]
        for known in ("turns", "way"):
            self.assertEqual(watch_of(path, known=known).verdict().kind, "crest", known)

    def test_turned_the_wrong_way_it_is_told_to_turn_the_other(self) -> None:
        self.assertEqual(watch_of([*rest(0.6), *glide(0.6, -0.2)], known="way").verdict().kind, "falling")


class WhatDoesNotAnswer(unittest.TestCase):
    def test_a_little_further_is_said_with_the_fall_that_ends_it_and_no_more_beyond(self) -> None:
        said = 0
        for known in ("turns", "way", "nothing"):
            for seed, path in enumerate((glide(0.6, 2.2), glide(0.9, 1.5, 1.2, 2.5), glide(0.0, 1.3, 1.1, 1.6, 0.7, 1.8, speed=0.05))):
                seen: list[Verdict] = []
                watch_of([*rest(path[0]), *path], known=known, seen=seen)
                for verdict in (v for v in seen if v.kind == "further"):
                    said += 1
                    self.assertLess(verdict.moved_db, verdict.enough_db, (known, seed))
        self.assertGreater(said, 5)

    def test_a_tool_that_turns_for_nothing_slips_with_its_tally(self) -> None:
        verdict = watch_of([*rest(0.0), *glide(0.0, 9.5, speed=0.5)], lambda t: 0.07 * t).verdict()
        self.assertEqual(verdict.kind, "slips")
        self.assertIn("9½ turns for 0.7 dB", Words("the lower core of IFT1").advice(verdict).sentence)

    def test_where_nobody_counts_turns_it_is_told_by_time(self) -> None:
        for known in ("way", "nothing"):
            verdict = watch_of([*rest(0.0), *glide(0.0, 3.0, speed=0.2)], lambda t: 0.05 * t, known=known).verdict()
            self.assertEqual(verdict.kind, "slips")
            self.assertRegex(Words("the core").advice(verdict).sentence, r"slips(, if it is turned)?: 1\d seconds of turning for 0\.\d dB")

    def test_a_core_not_turned_neither_slips_nor_peaks(self) -> None:
        watch = PeakWatch()
        for i in range(900):
            watch.add(level_db=1.5 * math.sin(i / 100.0), time_s=i * 0.05, turns=1.0)
            self.assertNotIn(watch.verdict().kind, ("slips", "past", "crest"))

    def test_the_end_of_travel_while_it_still_rises(self) -> None:
        path = [*rest(0.0), *glide(0.0, 0.7), *rest(0.7)]
        self.assertEqual(watch_of(path, stops=(-1.0, 0.7)).verdict().kind, "end_stop")

    def test_a_needle_that_wanders_is_not_judged(self) -> None:
        self.assertEqual(watch_of([*rest(0.8), *glide(0.8, 1.2)], noise_db=6.0).verdict().kind, "wandering")

    def test_a_needle_that_moves_by_itself_is_not_judged(self) -> None:
        watch = PeakWatch()
        for i in range(160):
            watch.add(level_db=2.0 * i * 0.05, time_s=i * 0.05, way=0 if i < 70 else 1)
        self.assertEqual(watch.verdict().kind, "wandering")


class Nulls(unittest.TestCase):
    @staticmethod
    def trap(turns: float) -> float:
        a = (turns - 1.0) / 0.1
        return -10.0 * math.log10((0.05**2 + a * a) / (1.0 + a * a))

    def test_a_null_is_found_by_narrowing_swings_and_worded_as_one(self) -> None:
        path = [*rest(0.2), *glide(0.2, 1.5, 0.6, 1.3), *glide(1.3, 0.9, 1.05, 0.98, speed=0.03), *glide(0.98, 1.0, speed=0.02), *rest(1.0)]
        for known in ("turns", "way"):
            verdict = watch_of(path, self.trap, known=known, goal="minimum").verdict()
            self.assertEqual((verdict.kind, verdict.evidence), ("crest", "proven"), known)
            advice = Words("the IF trap", "minimum").advice(verdict)
            self.assertEqual(advice.sentence, "At the bottom of the null. Take it.")
            self.assertIn("a true null", advice.evidence)

    def test_its_plain_says_nothing_yet(self) -> None:
        watch = watch_of([*rest(-9.0), *glide(-9.0, -6.0, speed=0.2)], self.trap, known="way", goal="minimum")
        self.assertIn("Nothing yet", Words("the IF trap", "minimum").advice(watch.verdict()).sentence)


class TypedReadings(unittest.TestCase):
    CREST = (0.074, 0.089, 0.111, 0.141, 0.179, 0.200, 0.179)

    def test_seven_through_a_crest_are_enough_to_say_so(self) -> None:
        verdicts = [typed(self.CREST[: n + 1]).verdict() for n in range(7)]
        self.assertEqual(verdicts[-1].kind, "past")
        self.assertNotIn("wandering", [v.kind for v in verdicts])

    def test_with_the_key_the_way_back_proves_it(self) -> None:
        verdict = typed((*self.CREST, 0.195, 0.200), [None] * 7 + [-1] * 2).verdict()
        self.assertEqual((verdict.kind, verdict.evidence), ("crest", "proven"))

    def test_without_it_a_second_crossing_is_offered_as_what_it_is(self) -> None:
        verdict = typed((*self.CREST, 0.195, 0.200, 0.190, 0.178, 0.191, 0.200)).verdict()
        self.assertEqual((verdict.kind, verdict.evidence), ("twice", "twice"))

    def test_few_readings_say_nothing(self) -> None:
        self.assertEqual(typed((0.1, 0.14, 0.1)).verdict().kind, "waiting")


class TurnedByAKey(unittest.TestCase):
    """A whole step at once, as an arrow key turns a practice set, on something steep: the meter lags behind it."""

    def test_what_the_meter_still_had_to_follow_is_not_what_it_did_with_hands_off(self) -> None:
        watch, rng = PeakWatch(goal="minimum"), random.Random(3)
        time_s, level = 0.0, -30.0
        for turns, comes_to, readings in ((0.0, -30.0, 100), (0.05, -44.0, 40), (0.1, -35.0, 40), (0.0, -30.0, 40)):
            for _ in range(readings):
                time_s, level = time_s + 0.05, level + 0.39 * (comes_to - level)
                watch.add(level_db=level + rng.gauss(0.0, 0.05), time_s=time_s, turns=turns, lag_s=0.1)
                self.assertNotEqual(watch.verdict().kind, "wandering")
        span_db = watch.verdict().span_db
        assert span_db is not None
        self.assertLess(span_db, 0.3)


class PlayInTheTool(unittest.TestCase):
    def test_what_it_gives_is_no_turning_back(self) -> None:
        """Over the crest once, and down the flank in steps, the tool giving a hundredth of a turn after each."""
        path, at = [*rest(0.2), *glide(0.2, 1.05)], 1.05
        while at < 1.4:
            path += [*glide(at, at + 0.03), *rest(at + 0.03, 6), *glide(at + 0.03, at + 0.015), *rest(at + 0.015, 6)]
            at += 0.015
        verdict = watch_of(path).verdict()
        self.assertEqual(verdict.evidence, "once", verdict)


class Invariance(unittest.TestCase):
    @steady
    @given(st.floats(-80, 40), st.floats(0, 1e6))
    def test_another_reference_level_or_hour_changes_no_verdict(self, offset_db: float, offset_s: float) -> None:
        rng = random.Random(3)
        one, other = PeakWatch(), PeakWatch()
        for i, turns in enumerate([*rest(0.4, 30), *glide(0.4, 1.5, 1.0)]):
            level = resonance(turns) + rng.gauss(0.0, 0.05)
            one.add(level_db=level, time_s=i * 0.05, turns=turns)
            other.add(level_db=level + offset_db, time_s=i * 0.05 + offset_s, turns=turns)
            if i % 20 == 0:
                self.assertEqual(one.verdict().kind, other.verdict().kind)

    def test_the_other_way_round_is_the_same_crest(self) -> None:
        there, back = watch_of([*rest(0.0), *glide(0.0, 2.0)]), watch_of([*rest(2.0), *glide(2.0, 0.0)])
        fits = there.crest_fit(), back.crest_fit()
        assert fits[0] and fits[1]
        self.assertAlmostEqual(fits[0].turns, fits[1].turns, delta=0.03)
        self.assertAlmostEqual(fits[0].half_width_turns, WIDTH, delta=0.03)


class Worded(unittest.TestCase):
    def test_once_is_worded_as_the_highest_so_far_and_asks_for_the_key(self) -> None:
        path = [*rest(0.2), *glide(0.2, 1.6)]
        blind = Words("the upper core of IFT1").advice(watch_of(path, known="way").verdict())
        self.assertEqual(blind.sentence, "Highest so far is passed: come back to it.")
        self.assertRegex(blind.evidence, r"crossed once, not proven yet\. Press C, or the foot switch, as you turn back\.$")
        seen = Words("the upper core of IFT1").advice(watch_of([*path, *rest(1.6)]).verdict())
        self.assertEqual(seen.sentence, "Highest so far is passed: come back to it, about three quarters of a turn, anticlockwise.")
        self.assertNotIn("Press", seen.evidence)

    def test_what_the_dossier_remarks_is_said_before_the_first_turn(self) -> None:
        advice = Words("the lower core of IFT1", remarks="often waxed").advice(Verdict("hands_off"))
        self.assertIn("Often waxed.", advice.evidence)

    def test_every_verdict_has_words(self) -> None:
        for kind in get_args(Kind):
            for goal in ("maximum", "minimum"):
                with self.subTest(kind, goal=goal):
                    advice = Words("the core", goal).advice(Verdict(kind, span_db=5.0, gain_left_db=1.0))
                    self.assertTrue(advice.sentence.endswith("."))
                    self.assertTrue(advice.evidence.endswith("."))

    @steady
    @given(st.floats(-20, 20))
    def test_amounts_of_turning_have_no_sign(self, turns: float) -> None:
        self.assertNotIn("-", turns_in_words(turns))
        self.assertEqual(turns_in_words(turns), turns_in_words(-turns))


class SeldomRead(unittest.TestCase):
    """A needle that is read once or twice a second, while the hand goes on."""

    def touches(self, seed: int) -> int:
        """How many touches a hand needs that follows the watch to the letter, and is read when it is read; from near the crest."""
        rng, watch = random.Random(seed), PeakWatch()
        now_s, slow_db, turns, way = 0.0, 0.0, 1.0, 1

        def read() -> None:
            nonlocal now_s, slow_db
            gap_s = 0.01 * 200.0 ** rng.random()
            now_s += gap_s
            keep = math.exp(-gap_s / 2.0)
            slow_db = keep * slow_db + math.sqrt(1.0 - keep * keep) * rng.gauss(0.0, 0.1)
            watch.add(level_db=resonance(turns) + slow_db + rng.gauss(0.0, 0.03), time_s=now_s, turns=turns, lag_s=0.1)

        for _ in range(8):
            read()
        for touch in range(400):
            verdict = watch.verdict()
            match verdict.kind:
                case "crest":
                    return touch
                case "hold" | "hands_off" | "waiting":
                    pass
                case "through":
                    turns += 0.02 * way
                case "falling" | "past" | "return" if verdict.turns_to_crest:
                    way = 1 if verdict.turns_to_crest > 0.0 else -1
                    turns += 0.8 * verdict.turns_to_crest
                case _:
                    turns += 0.04 * way
            for _ in range(rng.randrange(2, 5)):
                read()
        return 400

    def test_a_core_near_its_crest_is_proven_though_no_way_over_it_is_deep(self) -> None:
        """The hand was sent to and fro for ever: each way fell too little, beside what the needle does by itself, to count."""
        self.assertLess(max(self.touches(seed) for seed in range(20)), 100)

    def test_a_slope_that_is_gone_over_to_and_fro_is_no_crest(self) -> None:
        rng, watch, now_s = random.Random(5), PeakWatch(), 0.0
        for i in range(200):
            now_s += rng.uniform(0.3, 0.9)
            turns = 0.0 if i < 8 else 0.3 * math.sin(i / 6.0)
            watch.add(level_db=resonance(turns) + rng.gauss(0.0, 0.1), time_s=now_s, turns=turns, lag_s=0.1)
            self.assertNotEqual(watch.verdict().evidence, "proven")

    def test_what_drift_may_have_come_to_never_sends_the_hand_further_than_half_power(self) -> None:
        watch, now_s = PeakWatch(), 0.0

        def read(turns: float, drift_db: float = 1.2) -> Verdict:
            nonlocal now_s
            now_s += 0.05
            watch.add(level_db=resonance(turns) + drift_db, time_s=now_s, turns=turns)
            return watch.verdict()

        for i in range(60):
            read(0.0, 1.2 * i / 60.0)  # seen drifting, as it warms
        for turns in glide(0.0, 1.6):
            read(turns)
        back = glide(1.6, 0.2, speed=0.02)
        seen = [read(turns).kind for turns in back]
        sent_back = next((turns for turns, kind in zip(back, seen, strict=True) if kind == "past" and turns < 0.95), 0.0)
        self.assertGreater(resonance(sent_back), -3.6)

    def test_after_a_pause_in_which_it_was_not_read_it_neither_rises_nor_falls(self) -> None:
        watch = PeakWatch()
        for i in range(100):
            watch.add(level_db=0.02 * (i % 2), time_s=0.05 * i, turns=0.0)
        for i in range(6):
            watch.add(level_db=0.5 + 0.02 * (i % 2), time_s=2000.0 + 0.05 * i, turns=0.0)
            self.assertNotIn(watch.verdict().kind, ("rising", "falling"))

    def test_readings_that_bear_one_time_are_no_event(self) -> None:
        watch = PeakWatch()
        for level in (-3.0, -2.0, -1.0, 0.0, -1.5, -3.0, -3.0, -2.0):
            watch.add(level_db=level, time_s=0.0, alone=True)
            watch.verdict()
