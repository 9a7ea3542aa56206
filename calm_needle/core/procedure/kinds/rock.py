"""rock: peak while swinging the tuning across the signal. Done when the highest crest over both motions was found and come back to.

Each swing of the tuning over the signal has a crest; turning the adjuster raises or lowers the next one. The crests of the swings,
one after the other, are watched like single readings of one adjuster. A person who types writes down the crest of each swing. What is kept
of each is a triple: where the tuning stood, where the adjuster, how high it was; where turns are known, the joint crest is fitted to them.
"""

import math
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

SWING_DB = 1.0  # the fall that ends a swing; the tuning goes well over the signal
BACK_DB = 0.3  # below the highest crest that counts as back on it
FALL_DB = 0.4  # by which the crests must have been lower on both sides of the highest


JOINT_WITHIN_DB, FEWEST = 6.0, 4  # crests below the highest that carry the joint crest, and how many it takes
STILL_TURNS = 1e-3


class Crest(NamedTuple):
    """The highest of one swing: when, how high (dB), where adjuster and tuning stood (turns; None where nobody counts)."""

    t_s: float
    level_db: float
    turns: float | None
    tuning: float | None


class RockJudge:
    """Finds the crest of each swing, and the highest crest over the adjuster."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series = context.series
        self._adjuster = step.adjusters[0]
        self._phrase = context.model.adjuster(self._adjuster).phrase
        self._crests: list[Crest] = []
        self._top: Crest | None = None
        self._low = 0.0

    def add(self, seen: Seen) -> None:
        if seen.kind not in ("live", "typed"):
            return
        level = self._series.measure(seen)
        here = Crest(seen.t_s, level, seen.turns.get(self._adjuster), seen.turns.get(TUNING_ID))
        if seen.alone:
            self._crests.append(here)
            return
        if self._top is None:
            self._low = min(self._low, level) if self._series.watched[:-1] else level
            if level - self._low >= SWING_DB:
                self._top = here
        elif level > self._top.level_db:
            self._top = here
        elif self._top.level_db - level >= SWING_DB:
            self._crests.append(self._top)
            self._top, self._low = None, level

    def standing(self, moment: Moment) -> Standing:
        levels = [c.level_db for c in self._crests]
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
        before, after = levels[best] - min(levels[: best + 1]), levels[best] - min(levels[best:])
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
            rising = levels[-1] >= levels[-2]
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


KIND = StepKind("rock", "Rock and peak", RockJudge, sign="rock", needs=("adjusters", "indicator"), offers=level_offers, report=report)
