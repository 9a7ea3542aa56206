"""rock: peak while swinging the tuning across the signal. Done when the highest crest over both motions was found and come back to.

Each swing of the tuning over the signal has a crest; turning the adjuster raises or lowers the next one. The crests of the swings,
one after the other, are watched like single readings of one adjuster. A person who types writes down the crest of each swing. What is kept
of each is a triple: where the tuning stood, where the adjuster, how high it was; where turns are known, the joint crest is fitted to them.
"""

import math
from collections import deque
from itertools import pairwise
from typing import NamedTuple

from calm_needle.core.dossier.model import TUNING_ID, Step
from calm_needle.core.procedure.advice import Advice, turns_in_words, way_in_words
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import NEEDS_READING, level_offers
from calm_needle.core.procedure.kinds.peak import report
from calm_needle.core.procedure.series import Seen
from calm_needle.core.procedure.watch.stretches import fit_parabola

SWING_DB = 3.0  # the fall that ends a swing; the tuning goes well over the signal
GAP_SHARE = 0.45  # largest gap between readings, as a share of the 3 dB width of a swing; the crest is then known to 0.6 dB
COARSE, LATELY = 3, 6  # say so when 3 of the last 6 swings had too few readings
BACK_DB = 0.3  # below the highest crest that counts as back on it
ALIKE_DB = 0.1  # by which two swings at one place may differ
FALL_DB = 0.4  # by which the crests must have been lower on both sides of the highest


JOINT_WITHIN_DB, FEWEST = 6.0, 4  # crests below the highest that carry the joint crest, and how many it takes
STILL_TURNS = 1e-3


class Crest(NamedTuple):
    """The highest of one swing: when, how high (dB), where adjuster and tuning stood (turns; None where nobody counts)."""

    t_s: float
    level_db: float
    turns: float | None
    tuning: float | None


class Gap(NamedTuple):
    """The longest time without a reading over the top of a swing, and how long that top lasted (s)."""

    s: float
    of_s: float

    @property
    def coarse(self) -> bool:
        return self.s > GAP_SHARE * self.of_s


class RockJudge:
    """Finds the crest of each swing, and the highest crest over the adjuster."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series = context.series
        self._adjuster = step.adjusters[0]
        self._phrase = context.model.adjuster(self._adjuster).phrase
        self._crests: list[Crest] = []
        self._top: Crest | None = None
        self._low = 0.0
        self._swing: list[tuple[float, float]] = []  # of the swing under way: seconds, dB
        self._gaps: deque[Gap] = deque(maxlen=LATELY)  # of the swings lately

    def add(self, seen: Seen) -> None:
        if seen.kind not in ("live", "typed"):
            return
        level = self._series.measure(seen)
        here = Crest(seen.t_s, level, seen.turns.get(self._adjuster), seen.turns.get(TUNING_ID))
        if seen.alone:
            self._crests.append(here)
            return
        self._swing.append((here.t_s, level))
        if self._top is None:
            self._low = min(self._low, level) if self._series.watched[:-1] else level
            if level - self._low >= SWING_DB:
                self._top = here
        elif level > self._top.level_db:
            self._top = here
        elif self._top.level_db - level >= SWING_DB:
            self._end_swing(self._top)
            self._top, self._low = None, level

    def _end_swing(self, top: Crest) -> None:
        """Keep the crest of a swing; one that was read too seldom at its top stands higher than it was read."""
        at = next(i for i, (t, _) in enumerate(self._swing) if t == top.t_s)
        down_db = top.level_db - SWING_DB
        rose = next((i for i in range(at, -1, -1) if self._swing[i][1] <= down_db), 0)
        over = self._swing[rose:]
        times = [t for t, _ in over]
        lasts_s = _when(over[-2], over[-1], down_db) - _when(over[0], over[1], down_db)
        gap = Gap(max(later - t for t, later in pairwise(times)), lasts_s)
        self._gaps.append(gap)
        if not gap.coarse:
            self._crests.append(top)
        self._swing = self._swing[-1:]

    def standing(self, moment: Moment) -> Standing:
        levels = [c.level_db for c in self._crests]
        coarse = [gap for gap in self._gaps if gap.coarse]
        if len(coarse) >= COARSE:
            advice = Advice(
                "watch",
                "wander",
                "Swing the tuning more slowly.",
                f"Readings come every {coarse[-1].s:.1f} s, but the top of a swing lasts {coarse[-1].of_s:.1f} s: crests are missed.",
            )
            return Standing("too_fast", advice, Move("search"), doubt="The crests were read too seldom. Take it all the same?")
        nothing = (f"No highest crest was found with {self._phrase}.", f"{len(levels)} swings of the tuning were seen.")
        if len(levels) < 2:
            advice = Advice(
                "calm",
                "eye",
                f"Swing the tuning over the signal, again and again, while you turn {self._phrase}.",
                f"{len(levels)} swing{'s' if len(levels) != 1 else ''} seen. Each has its crest; the highest of the crests is wanted.",
            )
            return Standing("waiting", advice, Move("search"), refusal="" if self._series.watched else NEEDS_READING, nothing=nothing)
        best = max(range(len(levels)), key=levels.__getitem__)
        before, after = self._falls(best)
        seen_both = min(before, after) >= FALL_DB
        marks = Marks(levels[best], self._crests[best].t_s, seen_both)
        gain = levels[-1] - levels[0]
        figure = Figure(gain, None, "dB")
        detail = {"gain_db": gain, "crest_seen": seen_both, "fall_db": [before, after], "wander_db": 0.0, "swings": len(levels)}
        detail["triples"] = [[c.tuning, c.turns, c.level_db] for c in self._crests]
        joint = self._joint_crest()
        if joint is not None:
            detail["joint_turns"] = joint
        short = levels[best] - levels[-1]

        def stands(verdict: str, advice: Advice, move: Move, doubt: str) -> Standing:
            crest = verdict == "crest"
            return Standing(verdict, advice, move, may_take=crest, doubt=doubt, marks=marks, nothing=nothing, figure=figure, detail=detail)

        if not seen_both:
            rising = levels[-1] >= levels[-2] - ALIKE_DB
            words = "The crests are rising. Keep turning the same way." if rising else "The crests are falling. Turn the other way."
            so_far = f"{len(levels)} swings; the highest {levels[best] - levels[0]:+.1f} dB from the first.".replace("-", "−")
            advice = Advice("live" if rising else "watch", "onward" if rising else "turn_back", words, so_far)
            move = Move("search") if rising else Move("turn_back")
            return stands("rising" if rising else "falling", advice, move, "The highest crest was not passed. Take it all the same?")
        if short > BACK_DB:
            off = self._from_here(joint)
            way = f" about {turns_in_words(off)}, {way_in_words(off)}" if off else ""
            advice = Advice(
                "watch", "turn_back", f"Past the highest crest. Come back to it{way}, swinging.", f"{short:.1f} dB below it now."
            )
            return stands("past", advice, Move("approach", off, short), "It is below the highest crest. Take it all the same?")
        fell = f"The crests fell {before:.1f} dB before it and {after:.1f} dB after it."
        return stands("crest", Advice("good", "crest", "On the highest crest. Take it.", fell), Move("rest"), "")

    def _falls(self, best: int) -> tuple[float, float]:
        """How far the crests were lower (dB) on either side of the highest: by where the adjuster stood; by time, where nobody counts its
        turns. What only went to a place and back again was on one side of it."""
        top = self._crests[best]
        sides = self._crests[: best + 1], self._crests[best:]
        if top.turns is not None and all(c.turns is not None for c in self._crests):
            sides = (
                [c for c in self._crests if (c.turns or 0.0) <= top.turns + STILL_TURNS],
                [c for c in self._crests if (c.turns or 0.0) >= top.turns - STILL_TURNS],
            )
            if self._crests[0].turns is not None and self._crests[0].turns > top.turns:
                sides = sides[1], sides[0]
        before, after = (top.level_db - min(c.level_db for c in side) for side in sides)
        return before, after

    def _joint_crest(self) -> float | None:
        """Where the adjuster stands (turns) at the crest over both motions, by a resonance through the swings' crests; None where they do
        not carry one."""
        known = [(c.turns, c.level_db) for c in self._crests if c.turns is not None]
        top = max((level for _, level in known), default=0.0)
        near = [(t, level) for t, level in known if level >= top - JOINT_WITHIN_DB]
        if len(near) < FEWEST or len({round(t / STILL_TURNS) for t, _ in near}) < FEWEST:
            return None
        xs, ys = [t - near[0][0] for t, _ in near], [10.0 ** ((top - level) / 10.0) for _, level in near]
        fitted = fit_parabola(xs, ys, [1.0 / (y * y) for y in ys])
        return near[0][0] + fitted.at if fitted and min(xs) < fitted.at < max(xs) and math.isfinite(fitted.at) else None

    def _from_here(self, joint: float | None) -> float | None:
        last = self._series.watched[-1].turns.get(self._adjuster) if self._series.watched else None
        return None if joint is None or last is None else joint - last


def _when(one: tuple[float, float], two: tuple[float, float], level_db: float) -> float:
    """When a level was gone through between two readings (s)."""
    (t, db), (then, then_db) = one, two
    share = (level_db - db) / (then_db - db) if then_db != db else 0.0
    return t + min(1.0, max(0.0, share)) * (then - t)


KIND = StepKind("rock", "Rock and peak", RockJudge, sign="rock", needs=("adjusters", "indicator"), offers=level_offers, report=report)
