"""window: set a value between limits, where it matters on a named flank of a skewed peak. Done when inside, and on the asked side.

The side is by the hand: clockwise of the crest or anticlockwise of it. It is known where the crest was passed and the turns are
known; where they are not, the person is asked.
"""

from dataclasses import replace

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.limits import LimitsJudge
from calm_needle.core.procedure.kinds.target import report


class WindowJudge(LimitsJudge):
    """A value between `aim.low` and `aim.high`; `aim.flank`, if given, is clockwise or anticlockwise of the crest."""

    def __init__(self, step: Step, context: Context) -> None:
        super().__init__(step, context, low=step.aim["low"], high=step.aim["high"])
        self._flank = step.aim.get("flank")
        self._adjuster = step.adjusters[0] if step.adjusters else ""

    def standing(self, moment: Moment) -> Standing:
        standing = super().standing(moment)
        if self._flank is None or not self._series.watched:
            return standing
        crest = max(self._series.watched, key=self._series.measure)
        marks = Marks(self._series.measure(crest), crest.t_s, crest.value > self.high, self.low, self.high)
        if crest.value <= self.high:
            over = Advice(
                "live",
                "onward",
                "Go over the crest first.",
                f"The value is wanted {self._flank} of the crest, and nothing above {self._shown(self.high)} has been seen.",
            )
            return replace(standing, verdict="no_crest", advice=over, move=Move("search"), may_take=False, marks=marks)
        if not standing.may_take:
            return replace(standing, marks=marks)
        now, then = (r.turns.get(self._adjuster) for r in (self._series.watched[-1], crest))
        if now is None or then is None:
            ask = f"Is the core {self._flank} of the crest? The program cannot see which way the hand has turned."
            hold = Advice("watch", "crest", f"Inside. Take it if it is {self._flank} of the crest.", standing.advice.evidence)
            return replace(standing, verdict="side_unknown", advice=hold, may_take=False, doubt=ask, marks=marks)
        if (now > then) != (self._flank == "clockwise"):
            wrong = Advice(
                "watch",
                "turn_back",
                f"The wrong side. Go over the crest, {self._flank}.",
                f"The same value stands on both sides of the crest; the one wanted is {self._flank} of it.",
            )
            return replace(standing, verdict="wrong_side", advice=wrong, move=Move("turn_back", then - now), may_take=False, marks=marks)
        return replace(standing, marks=marks)


KIND = StepKind("window", "Set", WindowJudge, sign="limits", reads="value", needs=("indicator", "aim.low", "aim.high"), report=report)
