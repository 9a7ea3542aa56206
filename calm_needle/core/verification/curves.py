"""What is read off a measured curve: widths of a response, what gain control leaves, the limits of the sound."""

import itertools
import math
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.errors import NoAnswer, OutOfRange

Point = tuple[float, float]
OVERLOADED_DB = 2.0  # that the output falls again while the input rises, from which on the set is overloaded


# Of the way between two points, by which an edge may lie off the straight line between them (95 %): where nothing else is known, and at
# least; and how much farther than a parabola takes it.
STRAIGHT, STRAIGHT_LEAST, BENDS_TIMES = 0.3, 0.01, 0.8


class Selectivity(NamedTuple):
    """Widths (Hz) where the response has fallen by so many decibels, None where it was not measured so far; the middle at the upper one;
    the uncertainty (95 %) of the width at −6 dB from the spacing of its points (Hz), and how far a decibel at each edge moves it (Hz)."""

    width_6db_hz: float | None
    width_60db_hz: float | None
    shape: float | None
    centre_hz: float | None
    deepest_db: float
    width_6db_u95_hz: float | None = None
    width_6db_hz_per_db: float = 0.0


class GainControl(NamedTuple):
    """What the input changed by, by how much the output rose meanwhile at the most (dB), where it began to be held (V), and by how much it
    fell again for the strongest, where that overloads the set (dB, else 0). per_db: by how much more the output moves at its most than
    where it began to be held for a decibel that all levels are off (dB)."""

    input_db: float
    output_db: float
    begins_v: float | None
    falls_db: float = 0.0
    per_db: float = 0.0


class Sound(NamedTuple):
    """Where the sound has fallen by 3 dB from its reference, below and above (Hz); None where it was not measured so far."""

    low_hz: float | None
    high_hz: float | None
    reference_hz: float


def selectivity(*, offsets_hz: Sequence[float], down_db: Sequence[float]) -> Selectivity:
    """Return widths and shape factor of a response: N >= 5 offsets from the tuned frequency (Hz) and how far down it is there (dB, >= 0).

    Between points it runs straight, so the width is as sure as its edges' neighbours are near. The shape factor is the width at −60 dB
    over that at −6 dB, None where −60 was not reached.
    """
    points = _paired(offsets_hz, down_db, fewest=5, names=("offsets_hz", "down_db"))
    deepest = max(y for _, y in points)
    upper = _between(points, 6.0)
    lower = _between(points, 60.0)
    six = upper[1] - upper[0] if upper else None
    sixty = lower[1] - lower[0] if lower else None
    shape = sixty / six if six and sixty else None
    u95 = math.hypot(*(_bends(points, edge, 6.0) for edge in upper)) if upper else None
    by_edge = [1.0 / _slope(points, edge) for edge in upper] if upper else []
    per_db = math.hypot(*by_edge, sum(by_edge))  # each edge's own reading, and that from which both count
    return Selectivity(six, sixty, shape, (upper[0] + upper[1]) / 2.0 if upper else None, deepest, u95, per_db)


def _slope(points: Sequence[Point], edge_hz: float) -> float:
    """How steep the straight line through an edge is (dB per Hz, unsigned)."""
    a, b = next((a, b) for a, b in itertools.pairwise(points) if a[0] <= edge_hz <= b[0])
    return abs((b[1] - a[1]) / (b[0] - a[0]))


def _bends(points: Sequence[Point], edge_hz: float, down: float) -> float:
    """How far an edge may lie off the straight line between its neighbours (Hz, 95 %): as far as a parabola through one more point on
    either side takes it; where there is none on the flank, by how far apart the neighbours lie."""
    i = next(k for k, (a, b) in enumerate(itertools.pairwise(points)) if a[0] <= edge_hz <= b[0])
    apart = points[i + 1][0] - points[i][0]
    off = []
    for three in (points[max(0, i - 1) : i + 2], points[i : i + 3]):
        rising = [b[1] > a[1] for a, b in itertools.pairwise(three)]
        if len(three) == 3 and len(set(rising)) == 1 and len({y for _, y in three}) == 3:
            off.append(abs(_inverse(three, down) - edge_hz))
    return max(off) * BENDS_TIMES + STRAIGHT_LEAST * apart if len(off) == 2 else STRAIGHT * apart


def _inverse(three: Sequence[Point], down: float) -> float:
    """Where the response has fallen by so much: the parabola of offset over decibels through three points (Lagrange)."""
    (x0, y0), (x1, y1), (x2, y2) = three
    return (
        x0 * (down - y1) * (down - y2) / ((y0 - y1) * (y0 - y2))
        + x1 * (down - y0) * (down - y2) / ((y1 - y0) * (y1 - y2))
        + x2 * (down - y0) * (down - y1) / ((y2 - y0) * (y2 - y1))
    )


def gain_control(*, levels_v: Sequence[float], outputs_v: Sequence[float]) -> GainControl:
    """Return what gain control makes of a rising input: N >= 4 levels (V) and outputs (V).

    It begins where a decibel more of input first adds less than half a decibel of output, and goes on so.
    """
    points = _paired(levels_v, outputs_v, fewest=4, names=("levels_v", "outputs_v"))
    if any(x <= 0 or y <= 0 for x, y in points):
        raise OutOfRange("outputs_v", shown="zero", wanted="above zero, as levels are")
    db = [(20.0 * math.log10(x), 20.0 * math.log10(y)) for x, y in points]
    slopes = [(b[1] - a[1]) / (b[0] - a[0]) for a, b in itertools.pairwise(db)]
    held = next((i for i in range(len(slopes)) if all(s < 0.5 for s in slopes[i:])), None)
    first = held or 0
    most = max(range(first, len(db)), key=lambda i: db[i][1])
    if db[most][1] - db[-1][1] <= OVERLOADED_DB:  # it is held: the highest of several alike is only the luckiest
        most = len(db) - 1
    per_db = slopes[max(most - 1, 0)] - slopes[min(first, len(slopes) - 1)]
    input_db, output_db, falls_db = db[-1][0] - db[first][0], db[most][1] - db[first][1], db[most][1] - db[-1][1]
    return GainControl(input_db, output_db, None if held is None else points[held][0], falls_db, per_db)


def sound(*, tones_hz: Sequence[float], outputs_v: Sequence[float], reference_hz: float = 400.0) -> Sound:
    """Return where the sound has fallen by 3 dB from what it is at the tone nearest the reference: N >= 3 tones (Hz), outputs (V)."""
    points = _paired(tones_hz, outputs_v, fewest=3, names=("tones_hz", "outputs_v"))
    if any(x <= 0 or y <= 0 for x, y in points):
        raise OutOfRange("outputs_v", shown="zero", wanted="above zero, as tones are")
    logs = [(math.log(x), 20.0 * math.log10(y)) for x, y in points]
    k = min(range(len(logs)), key=lambda i: abs(logs[i][0] - math.log(reference_hz)))
    floor = logs[k][1] - 3.0
    low = next((_cross(logs[i], logs[i - 1], floor) for i in range(k, 0, -1) if logs[i - 1][1] <= floor), None)
    high = next((_cross(logs[i], logs[i + 1], floor) for i in range(k, len(logs) - 1) if logs[i + 1][1] <= floor), None)
    return Sound(math.exp(low) if low is not None else None, math.exp(high) if high is not None else None, points[k][0])


def _between(points: Sequence[Point], down: float) -> tuple[float, float] | None:
    """Where the response has fallen by so much, on either side of its top."""
    top = min(range(len(points)), key=lambda i: points[i][1])
    left = next((i for i in range(top, 0, -1) if points[i - 1][1] >= down > points[i][1]), None)
    right = next((i for i in range(top, len(points) - 1) if points[i + 1][1] >= down > points[i][1]), None)
    if left is None or right is None:
        return None
    return _cross(points[left], points[left - 1], down), _cross(points[right], points[right + 1], down)


def _cross(a: Point, b: Point, at: float) -> float:
    """Where the straight line from a to b is at a height."""
    return a[0] + (b[0] - a[0]) * (at - a[1]) / (b[1] - a[1])


def _paired(x: Sequence[float], y: Sequence[float], *, fewest: int, names: tuple[str, str]) -> list[Point]:
    if len(x) != len(y):
        raise OutOfRange(names[1], shown=f"a list of {len(y)}", wanted=f"as many as {names[0]}, {len(x)}")
    if len(x) < fewest:
        raise OutOfRange(names[0], shown=f"{len(x)} values", wanted=f"{fewest} or more")
    if len(set(x)) != len(x):
        raise NoAnswer(f"{names[0]}: the same value stands there twice; each belongs to one reading.")
    return sorted(zip(x, y, strict=True))
