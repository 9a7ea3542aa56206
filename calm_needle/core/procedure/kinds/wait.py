"""wait: warm-up, cool-down, soak. Done when the clock says so, and the drift where a rate is asked for."""

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.series import Seen, Series
from calm_needle.core.quantities import format_si

USUAL_OVER_S = 60.0
FEWEST = 3


class WaitJudge:
    """Waits `aim.least_s`, and until the reading moves by no more than `aim.rate_per_min` over the last `aim.over_s` seconds."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series = context.series
        self._least_s = float(step.aim["least_s"])
        self._rate = step.aim.get("rate_per_min")
        self._over_s = float(step.aim.get("over_s", USUAL_OVER_S))

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        waited = max(0.0, moment.t_s - moment.began_s)
        left = self._least_s - waited
        rate = rate_per_minute(self._series, over_s=self._over_s)
        figure = None if rate is None else Figure(rate, None, self._series.unit)
        detail = {"waited_s": round(waited, 1), "rate_per_min": rate}
        if left > 0:
            advice = Advice("calm", "clock", f"Wait: {in_words(left)} to go.", f"{in_words(self._least_s)} in all. Touch nothing.")
            doubt = f"{in_words(left)} of the wait are left. Go on all the same?"
            return Standing("waiting", advice, Move("wait"), doubt=doubt, figure=figure, detail=detail)
        if self._rate is not None and (rate is None or abs(rate) > self._rate):
            wanted = format_si(self._rate, unit=self._series.unit, digits=3)
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


def rate_per_minute(series: Series, *, over_s: float) -> float | None:
    """Return how fast the reading moves (unit a minute) by least squares over the last over_s seconds; None from too few readings.

    The readings must cover at least half of that time.
    """
    if not series.watched:
        return None
    last = series.watched[-1].t_s
    recent = [r for r in series.watched if last - r.t_s <= over_s]
    if len(recent) < FEWEST or recent[-1].t_s - recent[0].t_s < over_s / 2.0:
        return None
    t0, v0 = sum(r.t_s for r in recent) / len(recent), sum(r.value for r in recent) / len(recent)
    spread = sum((r.t_s - t0) ** 2 for r in recent)
    return 60.0 * sum((r.t_s - t0) * (r.value - v0) for r in recent) / spread


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
    report=worded({"over": "waited out", "waiting": "cut short", "drifting": "still drifting"}),
    label="Wait",
    take="Go on",
    ticks=True,
    unwatched_every_s=5.0,
)
