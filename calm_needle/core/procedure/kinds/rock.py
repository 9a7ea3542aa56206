"""rock: peak while swinging the tuning across the signal. Done when the highest crest over both motions was found and come back to.

Each swing of the tuning over the signal has a crest; turning the adjuster raises or lowers the next one. The crests of the swings,
one after the other, are watched like single readings of one adjuster. A person who types writes down the crest of each swing.
"""

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import NEEDS_READING, level_offers
from calm_needle.core.procedure.kinds.peak import report
from calm_needle.core.procedure.series import Seen

SWING_DB = 1.0  # the fall that ends a swing; the tuning goes well over the signal
BACK_DB = 0.3  # below the highest crest that counts as back on it
FALL_DB = 0.4  # by which the crests must have been lower on both sides of the highest


class RockJudge:
    """Finds the crest of each swing, and the highest crest over the adjuster."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series = context.series
        self._adjuster = step.adjusters[0]
        self._phrase = context.model.adjuster(self._adjuster).phrase
        self._crests: list[tuple[float, float]] = []  # time, level
        self._top: tuple[float, float] | None = None
        self._low = 0.0

    def add(self, seen: Seen) -> None:
        if seen.kind not in ("live", "typed"):
            return
        level = self._series.measure(seen)
        if seen.alone:
            self._crests.append((seen.t_s, level))
            return
        if self._top is None:
            self._low = min(self._low, level) if self._series.watched[:-1] else level
            if level - self._low >= SWING_DB:
                self._top = (seen.t_s, level)
        elif level > self._top[1]:
            self._top = (seen.t_s, level)
        elif self._top[1] - level >= SWING_DB:
            self._crests.append(self._top)
            self._top, self._low = None, level

    def standing(self, moment: Moment) -> Standing:
        levels = [level for _, level in self._crests]
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
        marks = Marks(levels[best], self._crests[best][0], seen_both)
        gain = levels[-1] - levels[0]
        figure = Figure(gain, None, "dB")
        detail = {"gain_db": gain, "crest_seen": seen_both, "fall_db": [before, after], "wander_db": 0.0, "swings": len(levels)}
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
            advice = Advice("watch", "turn_back", "Past the highest crest. Come back to it, swinging.", f"{short:.1f} dB below it now.")
            return stands("past", advice, Move("approach", short=short), "It is below the highest crest. Take it all the same?")
        fell = f"The crests fell {before:.1f} dB before it and {after:.1f} dB after it."
        return stands("crest", Advice("good", "crest", "On the highest crest. Take it.", fell), Move("rest"), "")


KIND = StepKind("rock", "Rock and peak", RockJudge, sign="rock", needs=("adjusters", "indicator"), offers=level_offers, report=report)
