"""zero_cross: centre a discriminator. Done when it is zero, with opposite signs on each side and equal humps."""

import statistics

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.at_rest import AtRest, at_rest, wanders
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si

HUMPS_PERCENT = 20.0  # by which the two humps may differ, where the dossier does not say
MIDDLE_OF = 3
FALLEN = 0.8  # of a hump, from where on it was gone over
HUMP = 4.0  # times the tolerance that count as a hump


class ZeroCrossJudge:
    """Watches a signed value about `aim.centre` (0 where not given): within `aim.tolerance`, with a hump on each side of it."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._tolerance = context.series, float(step.aim["tolerance"])
        self._humps_percent = float(step.aim.get("humps_percent", HUMPS_PERCENT))
        self._unit = context.series.unit
        self._phrase = context.model.adjuster(step.adjusters[0]).phrase if step.adjusters else "the control"

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        now, centre = self._series.now(), self._series.centre
        marks = Marks(low=centre - self._tolerance, high=centre + self._tolerance)
        if now is None:
            advice = Advice("calm", "eye", f"Turn {self._phrase} through zero.", "A hump on each side of it is wanted.")
            return Standing("waiting", advice, Move("read"), refusal=NEEDS_READING, marks=marks)
        off = now.value - centre
        figure = Figure(off, self._series.unrest() or None, self._unit)
        offsets = self._offsets(centre)
        up, down = max(0.0, *offsets, 0.0), -min(0.0, *offsets, 0.0)
        detail = {"hump_above": up, "hump_below": down, "unit": self._unit}
        humps = f"{self._shown(up)} above and {self._shown(down)} below"

        def stands(verdict: str, advice: Advice, move: Move, doubt: str = "Take it?") -> Standing:
            good = verdict == "zero"
            return Standing(verdict, advice, move, may_take=good, doubt=doubt, marks=marks, figure=figure, detail=detail)

        if min(up, down) < HUMP * self._tolerance:
            side = "above" if up < down else "below"
            return stands(
                "one_side",
                Advice("live", "onward", f"Turn on, through zero, until it stands well {side} it.", f"Seen so far: {humps}."),
                Move("search"),
                "A hump was not seen on each side. Take it all the same?",
            )
        if not self._gone_over(offsets, up if up < down else -down):
            return stands(
                "one_side",
                Advice("live", "onward", "Turn on, over this hump, until it falls again.", f"Seen so far: {humps}."),
                Move("search"),
                "The second hump was not gone over. Take it all the same?",
            )
        unequal = 100.0 * abs(up - down) / max(up, down)
        if unequal > self._humps_percent:
            return stands(
                "skewed",
                Advice(
                    "watch",
                    "humps",
                    "The humps are not equal.",
                    f"{humps}: {unequal:.0f} % apart, {self._humps_percent:.0f} % allowed. The primary, or what stands before, is off.",
                ),
                Move("approach", short=abs(off)),
                f"The humps are {unequal:.0f} % apart. Take it all the same?",
            )
        stays = self._stays(centre)
        if stays.wanders is not None:
            return stands(
                "wandering",
                wanders(self._shown(stays.wanders), self._shown(self._tolerance)),
                Move("rest"),
                "It moves by more than its tolerance. Take it all the same?",
            )
        if abs(off) > self._tolerance:
            return stands(
                "off",
                Advice("watch", "turn_back", f"Come back to zero: {self._shown(abs(off))} {'above' if off > 0 else 'below'}.", f"{humps}."),
                Move("approach", short=abs(off) - self._tolerance),
                f"It is {self._shown(abs(off))} off zero. Take it all the same?",
            )
        if not stays.inside:
            advice = Advice("live", "crest", "On zero. Hold still.", f"{humps}; it must stay there, as it comes to rest.")
            return stands("settling", advice, Move("rest"), "It was on zero, but has not been seen to stay there. Take it all the same?")
        return stands("zero", Advice("good", "crest", "On zero. Take it.", f"{humps}: equal within {unequal:.0f} %."), Move("rest"))

    def _offsets(self, centre: float) -> list[float]:
        """How far off it was at each reading; where they come by themselves, the middle of three: the highest of many is their unrest."""
        seen = self._series.watched
        offsets = [r.value - centre for r in seen]
        if len(seen) < MIDDLE_OF or any(r.alone for r in seen):
            return offsets
        return [statistics.median(three) for three in zip(offsets, offsets[1:], offsets[2:], strict=False)]

    @staticmethod
    def _gone_over(offsets: list[float], hump: float) -> bool:
        """Whether it has fallen again from a hump, above or below: until then nobody knows how high that is."""
        since = offsets[offsets.index(hump) :]
        return any(value / hump <= FALLEN for value in since)

    def _stays(self, centre: float) -> AtRest:
        if self._series.watched[-1].alone:  # a person reads where it stands
            return AtRest(True)
        return at_rest(self._series, low=centre - self._tolerance, high=centre + self._tolerance)

    def _shown(self, value: float) -> str:
        return format_si(value, unit=self._unit, digits=3)


KIND = StepKind(
    "zero_cross",
    "Centre",
    ZeroCrossJudge,
    sign="centre",
    reads="offset",
    needs=("indicator", "adjusters", "aim.tolerance"),
    report=worded(
        {
            "zero": "on zero, humps equal",
            "off": "off zero",
            "skewed": "humps unequal",
            "settling": "on zero, not seen to stay",
            "wandering": "its middle on zero, it wanders",
            "one_side": "a hump on one side only",
        }
    ),
)
