"""The generator's level is moved in the middle of a step, and the hand turns on at once: where the null lies is not lost."""

import math
import unittest

from calm_needle.core.procedure.judge import Context, Moment
from calm_needle.core.procedure.kinds.level import LevelJudge
from calm_needle.core.procedure.series import Seen, Series
from tests.support import dossiers

EVERY_S, METER_S = 0.05, 0.1
NULL_AT = 0.06  # turns


class TurnedOnAtOnce(unittest.TestCase):
    def test_the_null_is_where_it_is_and_not_where_the_level_was_moved(self) -> None:
        model = dossiers.model("corvane-r-40")
        step = next(s for g in model.groups for s in g.steps if s.kind == "null" and "phasing" in s.adjusters)
        series = Series(step)
        judge = LevelJudge(step, Context(model, series), goal="minimum")
        shows, now_s = 0.3, 0.0

        def read(turns: float, generator_v: float, count: int) -> None:
            nonlocal shows, now_s
            for _ in range(count):
                now_s += EVERY_S
                there = max(0.01, 2.0 * abs(turns - NULL_AT)) * generator_v / 1.5e-3
                shows += (there - shows) * (1.0 - math.exp(-EVERY_S / METER_S))
                seen = Seen(now_s, shows, "V", generator_v=generator_v, turns={"phasing": turns})
                series.add(seen)
                judge.add(seen)

        read(0.0, 1.5e-3, 70)
        for turns in (0.05, 0.1, 0.15, 0.2):
            read(turns, 1.5e-3, 3)
        read(0.25, 1.5e-3, 8)
        read(0.25, 0.6e-3, 5)  # the level was set, and a quarter of a second later the hand turns on
        for turns in (0.2, 0.15, 0.1):
            read(turns, 0.6e-3, 2)
        read(0.05, 0.6e-3, 9)
        for turns in (0.0, -0.05, -0.1, -0.15):
            read(turns, 0.6e-3, 3)
        advice = judge.standing(Moment(now_s, 0.0, False, None, None)).advice
        degrees = float(advice.sentence.split("about ")[1].split("°")[0])
        self.assertIn("clockwise", advice.sentence)
        self.assertAlmostEqual(degrees, 360.0 * (NULL_AT + 0.15), delta=12.0)
