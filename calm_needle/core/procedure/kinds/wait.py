"""wait: warm-up, cool-down, soak. Done when the clock says so, and the drift where a rate is asked for."""

import math
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.series import Seen, Series
from calm_needle.core.quantities import format_si

USUAL_OVER_S = 60.0
FEWEST = 3
TOLD_SHARE = 0.5  # of the rate that is allowed, to which a drift must be known
LONGEST = 10.0  # times over_s that readings are looked back on, to tell a drift from the reading's own unrest


class Drift(NamedTuple):
    """How fast a reading moves, and how surely that is known (unit a minute)."""

    per_minute: float
    sigma: float

    def is_within(self, rate: float) -> bool:
        """Whether it moves by no more than a rate, and that is known."""
        return abs(self.per_minute) <= rate and self.sigma <= TOLD_SHARE * rate

    def is_beyond(self, rate: float) -> bool:
        """Whether it moves by more than a rate, and that is known."""
        return abs(self.per_minute) > rate + (2.0 * self.sigma if self.sigma > TOLD_SHARE * rate else 0.0)


class WaitJudge:
    """Waits `aim.least_s`, and until the reading moves by no more than `aim.rate_per_min` over the last `aim.over_s` seconds."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series = context.series
        self._least_s = float(step.aim["least_s"])
        self._rate: float | None = step.aim.get("rate_per_min")
        self._over_s = float(step.aim.get("over_s", USUAL_OVER_S))

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        waited = max(0.0, moment.t_s - moment.began_s)
        left = self._least_s - waited
        drift = drift_of(self._series, over_s=self._over_s, told_to=None if self._rate is None else TOLD_SHARE * self._rate)
        rate = drift and drift.per_minute
        figure = None if rate is None else Figure(rate, None, self._series.unit)
        detail = {"waited_s": round(waited, 1), "rate_per_min": rate}
        if left > 0:
            advice = Advice("calm", "clock", f"Wait: {in_words(left)} to go.", f"{in_words(self._least_s)} in all. Touch nothing.")
            doubt = f"{in_words(left)} of the wait are left. Go on all the same?"
            return Standing("waiting", advice, Move("wait"), doubt=doubt, figure=figure, detail=detail)
        if self._rate is not None and (drift is None or not drift.is_within(self._rate)):
            wanted = format_si(self._rate, unit=self._series.unit, digits=3)
            if drift is not None and not drift.is_beyond(self._rate):
                return self._wanders(drift, wanted, figure, detail)
            now = "not known yet: readings are wanted" if rate is None else format_si(abs(rate), unit=self._series.unit, digits=3)
            advice = Advice("calm", "clock", "Wait: it still drifts.", f"{now} a minute; at most {wanted} wanted.")
            return Standing(
                "drifting",
                advice,
                Move("read" if rate is None else "wait"),
                doubt="It still drifts. Go on all the same?",
                figure=figure,
                detail=detail,
            )
        said = f"{in_words(waited)} waited." + (
            f" Drift {format_si(abs(rate), unit=self._series.unit, digits=3)} a minute." if rate is not None else ""
        )
        return Standing(
            "over", Advice("good", "clock", "Long enough. Go on.", said), Move("rest"), may_take=True, figure=figure, detail=detail
        )

    def _wanders(self, drift: Drift, wanted: str, figure: Figure | None, detail: dict[str, Any]) -> Standing:
        sigma = format_si(drift.sigma, unit=self._series.unit, digits=2)
        advice = Advice(
            "watch",
            "wander",
            "Wait: the reading wanders too much to tell its drift.",
            f"The drift is known to ± {sigma} a minute; at most {wanted} is wanted. It is known better the longer it is read.",
        )
        doubt = "Its drift is not known well enough. Go on all the same?"
        return Standing("wandering", advice, Move("wait"), doubt=doubt, figure=figure, detail=detail)


def drift_of(series: Series, *, over_s: float, told_to: float | None = None) -> Drift | None:
    """Return how fast the reading moves by least squares over the last over_s seconds; None from too few readings.

    The readings must cover at least half of that time. told_to: to how much (unit a minute) it is to be known: where the reading's own
    unrest hides that, over longer, as far as there are readings.
    """
    drift, longer_s = _drift_over(series, over_s=over_s), 2.0 * over_s
    while drift and told_to is not None and drift.sigma > told_to and longer_s <= LONGEST * over_s:
        if (longer := _drift_over(series, over_s=longer_s)) is None:
            break
        drift, longer_s = longer, 2.0 * longer_s
    return drift


def _drift_over(series: Series, *, over_s: float) -> Drift | None:
    if not series.watched:
        return None
    last = series.watched[-1].t_s
    recent = [r for r in series.watched if last - r.t_s <= over_s]
    if len(recent) < FEWEST or recent[-1].t_s - recent[0].t_s < over_s / 2.0:
        return None
    t0, v0 = sum(r.t_s for r in recent) / len(recent), sum(r.value for r in recent) / len(recent)
    spread = sum((r.t_s - t0) ** 2 for r in recent)
    per_s = sum((r.t_s - t0) * (r.value - v0) for r in recent) / spread
    left = sum((r.value - v0 - per_s * (r.t_s - t0)) ** 2 for r in recent)
    return Drift(60.0 * per_s, 60.0 * math.sqrt(left / (len(recent) - 2) / spread))


def in_words(seconds: float) -> str:
    """Return a stretch of time as one says it.

    >>> in_words(600), in_words(75), in_words(20)
    ('10 min', '1 min 15 s', '20 s')
    """
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest} s" if minutes and rest else f"{minutes} min" if minutes else f"{rest} s"


KIND = StepKind(
    "wait",
    "Wait",
    WaitJudge,
    sign="wait",
    reads="value",
    needs=("aim.least_s",),
    report=worded({"over": "waited out", "waiting": "cut short", "drifting": "still drifting", "wandering": "drift not known"}),
    label="Wait",
    take="Go on",
    ticks=True,
    unwatched_every_s=5.0,
)
