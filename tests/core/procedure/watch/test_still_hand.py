"""A slow beat that keeps step with the hand: what it looks like, and that nothing is proven by it."""

import math
import random
import unittest

from calm_needle.core.procedure.kinds.level import Words
from calm_needle.core.procedure.watch.peak_watch import HANDS_OFF_S, PeakWatch, Verdict
from tests.support.slow_sine import BEATS, beating

EVERY_S = 0.05
LATE_S = 0.4


class Obeys:
    """A hand that does what is said, a little late, with a needle that follows a law of the turns, of the time, or of both."""

    def __init__(self, seed: int, *, known: str) -> None:
        self.rng, self.known = random.Random(seed), known
        self.watch, self.turns, self.t_s = PeakWatch(), 0.0, 0.0
        self.speed, self.wanted, self.way, self.said_late = self.rng.uniform(0.1, 0.25), 1, 0, [0] * 6
        self.heard: list[tuple[float, Verdict]] = []
        self.turned_s = 0.0

    def _obey(self, verdict: Verdict) -> float:
        """Turns a second, by what was said."""
        off = verdict.turns_to_crest
        match verdict.kind:
            case "hands_off" if self.t_s < HANDS_OFF_S:
                return 0.0
            case "hold" | "crest" | "by_itself":
                return 0.0
            case "past" | "falling" | "return" | "through" if off is not None:
                return 0.0 if abs(off) < 0.003 else math.copysign(self.speed * (0.25 if abs(off) < 0.08 else 1.0), off)
            case "past" | "falling" if self.t_s > self.turned_s:
                self.wanted, self.turned_s = -self.wanted, self.t_s + 1.5
        return self.wanted * self.speed * (0.5 if verdict.kind in ("return", "through") else 1.0)

    def until_taken(self, law, *, seconds: float = 90.0) -> list[str]:
        """The kinds that were said, in their order, until it may be taken or time is over."""
        kinds: list[str] = []
        while self.t_s < seconds:
            self.t_s += EVERY_S
            self.watch.add(
                level_db=law(self.turns, self.t_s) + self.rng.gauss(0.0, 0.05),
                time_s=self.t_s,
                turns=self.turns if self.known == "turns" else None,
                way=self.said_late[-6],
            )
            verdict = self.watch.verdict()
            if not kinds or kinds[-1] != verdict.kind:
                kinds.append(verdict.kind)
            if verdict.may_take:
                break
            self.heard.append((self.t_s, verdict))
            while self.heard and self.t_s - self.heard[0][0] >= LATE_S:
                pace = self._obey(self.heard.pop(0)[1])
                self.way = (pace > 0.0) - (pace < 0.0)
                self.wanted = self.way or self.wanted
                self.pace = pace
            self.turns += getattr(self, "pace", 0.0) * EVERY_S
            self.said_late.append(self.way)
        return kinds


class ABeatInStepWithTheHand(unittest.TestCase):
    def test_it_proves_nothing_by_any_hand_that_goes_its_own_way(self) -> None:
        for known in ("turns", "way"):
            for name in BEATS:
                proven = [seed for seed in range(25) if beating(name, seed, known)["proven_s"] is not None]
                self.assertEqual(proven, [], (name, known))

    def test_nor_by_one_that_does_what_is_said(self) -> None:
        for known in ("turns", "way"):
            for seed in range(8):
                rng = random.Random(f"beat {seed}")
                size_db, period_s, phase = rng.uniform(0.4, 2.5), rng.uniform(3.0, 30.0), rng.uniform(0.0, 6.28)
                kinds = Obeys(seed, known=known).until_taken(
                    lambda _, t, a=size_db, p=period_s, q=phase: a * math.sin(2.0 * math.pi * t / p + q)
                )
                self.assertNotIn("crest", kinds, (known, seed))

    def test_it_is_said_that_the_needle_moves_by_itself(self) -> None:
        said = [Obeys(seed, known="turns").until_taken(lambda _, t: 1.5 * math.sin(2.0 * math.pi * t / 9.0)) for seed in range(6)]
        self.assertTrue(any("by_itself" in kinds for kinds in said), said)
        advice = Words("the core").advice(Verdict("by_itself"))
        self.assertEqual(advice.sentence, "The needle moves as much with hands off: not a peak.")


class ATrueCrest(unittest.TestCase):
    def test_it_is_still_found_and_the_hand_asked_off_before(self) -> None:
        for known in ("turns", "way"):
            for seed in range(8):
                rng = random.Random(f"crest {seed}")
                at, width = rng.uniform(0.5, 1.8), rng.uniform(0.25, 0.6)
                kinds = Obeys(seed, known=known).until_taken(lambda x, _, c=at, w=width: -10.0 * math.log10(1.0 + ((x - c) / w) ** 2))
                self.assertEqual(kinds[-2:], ["hold", "crest"], (known, seed, kinds))

    def test_what_follows_the_hand_is_worded_as_not_yet_proven(self) -> None:
        advice = Words("the core").advice(Verdict("hold", "follows"))
        self.assertEqual(advice.sentence, "About there. Hands off.")
        self.assertIn("not a beat", advice.evidence)


if __name__ == "__main__":
    unittest.main()
