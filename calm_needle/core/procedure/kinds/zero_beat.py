"""zero_beat: bring a beat to nothing. Done when it is below the limit, and was seen to rise both ways."""

import statistics

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si

RISEN = 3.0  # times the limit that count as a rise
MOMENT = 3  # readings that are heard as one moment
TREND_S = 0.5  # s over which it is seen to rise


class ZeroBeatJudge:
    """Watches a beat (Hz, never negative): it must have risen, gone through nothing, risen again, and be back below `aim.below_hz`.

    With turns the two rises must lie on the two sides of the lowest place; without, before it and after it.
    """

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._limit = context.series, float(step.aim["below_hz"])
        self._adjuster = step.adjusters[0] if step.adjusters else ""
        self._phrase = context.model.adjuster(self._adjuster).phrase if self._adjuster else "the control"

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        now, marks = self._series.now(), Marks(low=0.0, high=self._limit)
        if now is None:
            advice = Advice("calm", "eye", f"Turn {self._phrase} towards the lowest beat.", "A few readings are needed.")
            return Standing("waiting", advice, Move("read"), refusal=NEEDS_READING, marks=marks)
        value = self._heard()
        figure = Figure(value, self._series.unrest() or None, "Hz")
        before, after = self._rises()
        beat = format_si(value, unit="Hz", digits=3)
        if value > self._limit:
            wanted = f"Wanted: below {self._shown()}."
            gone_through = any(r.value <= self._limit for r in self._series.watched)
            on_through = gone_through and not (before and after) and value < RISEN * self._limit
            rising = not on_through and self._rising()
            if on_through:
                advice = Advice("live", "onward", f"A beat of {beat}. Go on through, until it has plainly risen.", wanted)
            elif rising:
                advice = Advice("live", "turn_back", f"A beat of {beat}, and rising. Turn {self._phrase} the other way.", wanted)
            else:
                advice = Advice("live", "onward", f"A beat of {beat}. Turn {self._phrase} to bring it down.", wanted)
            return Standing(
                "beating",
                advice,
                Move("turn_back" if rising else "approach", short=value - self._limit),
                doubt=f"There is a beat of {beat}. Take it all the same?",
                marks=marks,
                figure=figure,
            )
        if not (before and after):
            return Standing(
                "one_side",
                Advice("live", "onward", "Nothing to hear. Go on through it.", "It must rise again on the other side."),
                Move("search"),
                doubt="The beat was not seen to rise on both sides. Take it all the same?",
                marks=marks,
                figure=figure,
            )
        return Standing(
            "zero",
            Advice("good", "crest", "Zero beat. Take it.", f"{beat}, and it rose on both sides of it."),
            Move("rest"),
            may_take=True,
            marks=marks,
            figure=figure,
        )

    def _heard(self) -> float:
        """The beat at this moment (Hz): a mean over a while that goes through nothing is far from nothing."""
        seen = self._series.watched
        return seen[-1].value if seen[-1].alone else statistics.median(r.value for r in seen[-MOMENT:])

    def _rising(self) -> bool:
        """Whether it has been rising for the last moment: by more than the limit, and stands at its highest of it."""
        seen = self._series.watched
        recent = [r.value for r in seen[-60:] if seen[-1].t_s - r.t_s <= TREND_S]
        if seen[-1].alone or len(recent) < 2:  # or they come more slowly than that
            recent = [r.value for r in seen[-2:]]
        few = max(1, len(recent) // 4)
        risen = statistics.fmean(recent[-few:]) - statistics.fmean(recent[:few])
        return risen > self._limit and recent[-1] >= max(recent) - self._limit

    def _rises(self) -> tuple[bool, bool]:
        seen = self._series.watched
        places = [r.turns.get(self._adjuster) for r in seen]
        zeros = [i for i, r in enumerate(seen) if r.value <= self._limit]
        if not zeros:
            return False, False
        high = [i for i, r in enumerate(seen) if r.value >= RISEN * self._limit]
        known = [p for p in places if p is not None]
        if len(known) == len(places):
            low = min(known[i] for i in zeros), max(known[i] for i in zeros)
            return any(known[i] < low[0] for i in high), any(known[i] > low[1] for i in high)
        return any(i < zeros[0] for i in high), any(i > zeros[0] for i in high)

    def _shown(self) -> str:
        return format_si(self._limit, unit="Hz", digits=3)


KIND = StepKind(
    "zero_beat",
    "Zero beat",
    ZeroBeatJudge,
    sign="beat",
    reads="value",
    goal="minimum",
    needs=("indicator", "adjusters", "aim.below_hz"),
    report=worded({"zero": "beat gone, rising on both sides", "one_side": "beat gone, seen from one side", "beating": "a beat was left"}),
)
