"""What target and window share: a value between two limits, at rest there."""

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si

STEADY_S = 1.0  # s that a value read by the program must have stayed inside
FEWEST_LIVE, FEWEST_TYPED = 5, 2
HELP = "If it moves away from where it should be, turn the other way."


DIGITS = {"Hz": 6}  # figures of a value that it takes to tell one from another


class LimitsJudge:
    """Judges whether a value is between two limits and has stayed there."""

    def __init__(self, step: Step, context: Context, *, low: float, high: float) -> None:
        self._series, self.low, self.high = context.series, low, high
        self.unit = context.series.unit
        self._what = " and ".join(context.model.adjuster(a).phrase for a in step.adjusters) or "the control"

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        now = self._series.now()
        marks = Marks(low=self.low, high=self.high)
        if now is None:
            advice = Advice("calm", "measure", "Read the meter.", f"Wanted: {self.wanted()}.")
            return Standing("waiting", advice, Move("read"), refusal=NEEDS_READING, marks=marks)
        figure = Figure(now.value, self._series.unrest() or None, self.unit)
        short = max(self.low - now.value, now.value - self.high, 0.0)
        if short > 0.0:
            low = now.value < self.low
            sentence = f"Too {'low' if low else 'high'} by {self._shown(short)}. Turn {self._what} to {'raise' if low else 'lower'} it."
            return Standing(
                "low" if low else "high",
                Advice("live", "onward", sentence, f"{figure.shown()} now; wanted {self.wanted()}. {HELP}"),
                Move("approach", short=short),
                doubt=f"It is {self._shown(short)} {'below' if low else 'above'} what is wanted. Take it all the same?",
                marks=marks,
                figure=figure,
            )
        if not self._steady():
            return Standing(
                "settling",
                Advice("live", "crest", "Inside. Hold still.", f"{figure.shown()}; it must stay there, as it comes to rest."),
                Move("rest"),
                doubt="It was inside, but has not been seen to stay there. Take it all the same?",
                marks=marks,
                figure=figure,
            )
        return Standing(
            "inside",
            Advice("good", "crest", "Inside, and steady. Take it.", f"{figure.shown()}; wanted {self.wanted()}."),
            Move("rest"),
            may_take=True,
            marks=marks,
            figure=figure,
        )

    def wanted(self) -> str:
        """What is wanted, in words."""
        return f"{self._shown(self.low)} to {self._shown(self.high)}"

    def _steady(self) -> bool:
        seen = self._series.watched
        if seen[-1].alone:
            return len(seen) >= FEWEST_TYPED and all(self.low <= r.value <= self.high for r in seen[-FEWEST_TYPED:])
        recent = [r for r in seen[-60:] if seen[-1].t_s - r.t_s <= STEADY_S]
        return len(recent) >= FEWEST_LIVE and all(self.low <= r.value <= self.high for r in recent) and self._nothing_turned(recent)

    @staticmethod
    def _nothing_turned(recent: list[Seen]) -> bool:
        return all(r.turns == recent[-1].turns for r in recent[-FEWEST_LIVE:])

    def _shown(self, value: float) -> str:
        return format_si(value, unit=self.unit, digits=DIGITS.get(self.unit, 3))
