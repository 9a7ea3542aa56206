"""A step begins on a needle that is not at rest yet; a tool goes by hairs; the generator is moved where the gain control works."""

import itertools
import math
import unittest

from calm_needle.core.procedure.judge import Context, Moment
from calm_needle.core.procedure.kinds.level import LevelJudge
from calm_needle.core.procedure.series import Seen, Series
from calm_needle.core.procedure.watch.peak_watch import PeakWatch
from calm_needle.core.procedure.watch.wander import LEAST_FALL_DB
from tests.support import dossiers

EVERY_S, METER_S = 0.05, 0.12


class TheStart(unittest.TestCase):
    """After the set-up the needle comes down from 0.5 V to 0.15 V, as a gain control lets go."""

    def setUp(self) -> None:
        model = dossiers.model("stannard-seven")
        self.step = next(s for g in model.groups for s in g.steps if s.kind == "peak" and "T1" in s.adjusters)
        self.series = Series(self.step)
        self.judge = LevelJudge(self.step, Context(model, self.series))

    def read(self, *, seconds: float, turns: float | None, from_s: float = 0.0) -> None:
        for i in range(round(seconds / EVERY_S)):
            t = from_s + i * EVERY_S
            shows = 0.15 + 0.35 * math.exp(-t / METER_S)
            seen = Seen(t, shows, "V", generator_v=1e-4, turns={} if turns is None else {"T1": turns}, way=0 if turns is None else None)
            self.series.add(seen)
            self.judge.add(seen)

    def test_what_comes_to_rest_is_not_the_needles_own_wander(self) -> None:
        for turns in (0.0, None):
            with self.subTest(turns=turns):
                self.setUp()
                self.read(seconds=0.5, turns=turns)
                self.assertEqual(self.judge.standing(Moment(0.5, 0.0, False, None, None)).advice.sentence, "Hands off for three seconds.")
                self.read(seconds=4.0, turns=turns, from_s=0.5)
                standing = self.judge.standing(Moment(4.5, 0.0, False, None, None))
                self.assertLess(standing.detail["by_itself_db"], 0.1)
                self.assertAlmostEqual(standing.detail["gain_db"], 0.0, delta=0.05)  # nothing was turned: nothing is gained or lost

    def test_a_typed_first_reading_counts_at_once(self) -> None:
        seen = Seen(0.0, 0.4, "V", "typed", generator_v=1e-4)
        self.series.add(seen)
        self.assertFalse(self.series.beginning)
        self.assertAlmostEqual(self.series.start() or 0.0, self.series.measure(seen))


class Hairs(unittest.TestCase):
    """A tool that creeps: half a thousandth of a turn in a quarter of a second, on a flank of 20 dB a turn."""

    def test_what_a_creeping_tool_does_is_not_the_needles_own(self) -> None:
        watch, turns = PeakWatch(), 0.0
        for i in range(60):
            watch.add(level_db=0.0, time_s=i * EVERY_S, turns=0.0)
        for i in range(60, 800):
            turns += 1e-4
            watch.add(level_db=20.0 * turns, time_s=i * EVERY_S, turns=turns)
        verdict = watch.verdict()
        self.assertLess(verdict.span_db or 0.0, 0.1)
        self.assertAlmostEqual(verdict.bar_db, LEAST_FALL_DB, delta=0.05)


class MovedUnderGainControl(unittest.TestCase):
    """The crest was crossed at one level; then the generator was moved and the set did not pass 2 dB of that on."""

    def test_a_crest_that_reads_lower_since_is_found_again_where_it_is(self) -> None:
        watch, t = PeakWatch(), 0.0

        def go(*places: float, lower_db: float) -> None:
            nonlocal t
            for a, b in itertools.pairwise(places):
                for i in range(40):
                    turns = a + (b - a) * (i + 1) / 40
                    watch.add(level_db=-10.0 * math.log10(1.0 + ((turns - 1.0) / 0.3) ** 2) - lower_db, time_s=t, turns=turns)
                    t += EVERY_S

        go(0.0, 0.0, lower_db=0.0)
        go(0.0, 0.0, 1.6, lower_db=0.0)
        self.assertEqual(watch.verdict().evidence, "once")
        watch.joined(unsure_db=2.0)
        go(1.6, 1.0, lower_db=2.0)
        self.assertNotEqual(watch.verdict().evidence, "proven")  # 2 dB lower than it was: is that the crest?
        go(1.0, 0.6, lower_db=2.0)
        go(0.6, 1.0, lower_db=2.0)
        self.assertEqual(watch.verdict().evidence, "follows")
        go(1.0, 1.0, lower_db=2.0)
        verdict = watch.verdict()
        self.assertEqual(verdict.evidence, "proven")
        self.assertAlmostEqual(verdict.turns_to_crest or 0.0, 0.0, delta=0.05)  # 0.1 dB
        self.assertAlmostEqual(verdict.crest_db or 0.0, -2.0, delta=0.1)


if __name__ == "__main__":
    unittest.main()
