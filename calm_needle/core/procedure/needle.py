"""What the needle shows: a pointer, its unrest, marks, and a scale that holds all that was seen. One for every kind of step."""

import math
from collections.abc import Iterable
from typing import NamedTuple

from calm_needle.core.procedure.judge import Marks
from calm_needle.core.procedure.series import Series
from calm_needle.core.procedure.watch.peak_watch import Goal
from calm_needle.core.quantities import PREFIXES, split_si

SPANS = ((-6.0, 10.0, 2.0), (-10.0, 15.0, 5.0), (-15.0, 25.0, 5.0), (-30.0, 40.0, 10.0), (-60.0, 60.0, 20.0))
MINORS = {1: 0.2, 2: 1.0, 5: 1.0}  # smaller divisions of a step of 1, 2 or 5
STEPS_ON_SCALE = 6.0
LEAST_SPAN = 0.05  # of the value, that a scale covers at least
LAST = 400  # readings that the scale must hold


class Scale(NamedTuple):
    """Ends of the scale, its numbered step and its smaller division, in the unit shown."""

    low: float
    high: float
    step: float
    minor: float


class Needle(NamedTuple):
    """Everything in the unit shown; `factor` turns the series' own unit into it. best: the highest or lowest so far."""

    unit: str
    factor: float
    scale: Scale
    at: float | None = None
    wedge: float = 0.0
    start: float | None = None
    best: float | None = None
    best_at_s: float | None = None
    best_seen: bool = False
    low: float | None = None
    high: float | None = None


def level_scale(*, lowest: float, highest: float, goal: Goal = "maximum") -> Scale:
    """Return the narrowest of a few fixed scales of decibels that holds all that was seen with a tenth to spare.

    Few scales, so that it seldom changes under the eye. For a minimum the room is below zero.
    """
    low, high = (lowest, highest) if goal == "maximum" else (-highest, -lowest)
    fitting = (s for s in SPANS if low >= s[0] + 0.1 * (s[1] - s[0]) and high <= s[1] - 0.1 * (s[1] - s[0]))
    least, most, step = next(fitting, SPANS[-1])
    return _scale(least, most, step) if goal == "maximum" else _scale(-most, -least, step)


def value_scale(*, lowest: float, highest: float) -> Scale:
    """Return a scale in steps of 1, 2 or 5 that holds both values with room at each end."""
    # Never so fine that the scale follows the needle's own unrest.
    span = max(highest - lowest, LEAST_SPAN * max(abs(highest), abs(lowest))) or 1.0
    low, high = lowest - 0.15 * span, highest + 0.15 * span
    step = nice_step((high - low) / STEPS_ON_SCALE)
    return _scale(math.floor(low / step) * step, math.ceil(high / step) * step, step)


def nice_step(rough: float) -> float:
    """Return the smallest step of 1, 2 or 5 times a power of ten that is not below rough, which is above 0.

    >>> nice_step(0.3), nice_step(7.0), nice_step(20.0)
    (0.5, 10.0, 20.0)
    """
    power = 10.0 ** math.floor(math.log10(rough))
    return next(m * power for m in (1.0, 2.0, 5.0, 10.0) if m * power >= rough * (1.0 - 1e-9))


def needle_of(series: Series, marks: Marks, goal: Goal) -> Needle:
    """Return what the needle shows for the readings of a stay and what their judge has marked."""
    shown = [value for _, value in series.lately(LAST)]
    edges = [series.shown(m) for m in (marks.low, marks.high) if m is not None]
    if series.reads == "level":
        everything = [*shown, *edges, 0.0]
        factor, unit, scale = 1.0, "dB", level_scale(lowest=min(everything), highest=max(everything), goal=goal)
    else:
        everything = [*shown, *edges, *([0.0] if series.reads == "offset" or not (shown or edges) else [])]
        factor, unit = _prefixed(everything, series.shown_unit)
        scale = value_scale(lowest=min(everything) * factor, highest=max(everything) * factor)
    here, start = series.now(), series.start()

    def at(measure: float | None) -> float | None:
        return None if measure is None else series.shown(measure) * factor

    return Needle(
        unit,
        factor,
        scale,
        at=at(series.measure(series.watched[-1])) if here else None,
        wedge=series.unrest() * factor,
        start=at(start),
        best=at(marks.best),
        best_at_s=marks.best_at_s,
        best_seen=marks.best_seen,
        low=at(marks.low),
        high=at(marks.high),
    )


def trail_of(series: Series, needle: Needle) -> list[tuple[float, float]]:
    """Return the last readings as they lie on the needle's scale: seconds and value."""
    return [(t_s, value * needle.factor) for t_s, value in series.lately(LAST)]


def _prefixed(values: Iterable[float], unit: str) -> tuple[float, str]:
    """The factor and the prefixed unit in which the largest of the values is read."""
    largest = max((abs(v) for v in values), default=0.0)
    _, shown = split_si(largest, unit=unit, digits=3)
    prefix = shown[: len(shown) - len(unit)] if unit and shown.endswith(unit) else ""
    return 10.0 ** -PREFIXES.get(prefix, 0), shown


def _scale(low: float, high: float, step: float) -> Scale:
    leading = round(step / 10.0 ** math.floor(math.log10(step) + 1e-9))
    return Scale(low, high, step, step * MINORS.get(leading, 0.2) / leading)
