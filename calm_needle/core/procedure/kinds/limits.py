"""What target and window share: a value between two limits, at rest there."""

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.at_rest import AtRest, at_rest, wanders
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si

FEWEST_TYPED = 2
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
        if short > 0.0 and self._stays().wanders is None:
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
        stays = self._stays()
        if stays.wanders is not None:
            return Standing(
                "wandering",
                wanders(self._shown(stays.wanders), self._shown((self.high - self.low) / 2.0)),
                Move("rest"),
                doubt="It moves by more than its tolerance. Take it all the same?",
                marks=marks,
                figure=figure,
            )
        if not stays.inside:
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

    def _stays(self) -> AtRest:
        seen = self._series.watched
        if seen[-1].alone:
            return AtRest(len(seen) >= FEWEST_TYPED and all(self.low <= r.value <= self.high for r in seen[-FEWEST_TYPED:]))
        return at_rest(self._series, low=self.low, high=self.high)

    def _shown(self, value: float) -> str:
        return format_si(value, unit=self.unit, digits=DIGITS.get(self.unit, 3))
