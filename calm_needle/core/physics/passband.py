"""The pass-band of a strip from a sweep: where it peaks and where it is 6 dB down."""

from collections.abc import Sequence
from typing import NamedTuple

EDGE_DB = 6.0


class Passband(NamedTuple):
    """Highest point (Hz), edges 6 dB, or as asked, under it (Hz; None where the sweep does not reach it), their middle and width (Hz)."""

    peak_hz: float
    low_hz: float | None
    high_hz: float | None

    @property
    def centre_hz(self) -> float | None:
        return None if self.low_hz is None or self.high_hz is None else (self.low_hz + self.high_hz) / 2.0

    @property
    def width_hz(self) -> float | None:
        return None if self.low_hz is None or self.high_hz is None else self.high_hz - self.low_hz


def passband(*, frequencies_hz: Sequence[float], levels_db: Sequence[float], down_db: float = EDGE_DB) -> Passband | None:
    """Return the pass-band of N points, frequencies strictly rising; None for fewer than five points.

    The peak is the vertex of a parabola through the highest point and its neighbours, equally spaced or not; the edges are
    found by straight lines between points, the outermost crossing counting on either side.
    """
    if len(frequencies_hz) < 5:
        return None
    top = max(range(len(levels_db)), key=levels_db.__getitem__)
    edge = levels_db[top] - down_db
    low = high = None
    for i in range(top):
        if levels_db[i] < edge <= levels_db[i + 1]:
            low = _cross(frequencies_hz, levels_db, i, edge)
            break
    for i in range(len(levels_db) - 1, top, -1):
        if levels_db[i] < edge <= levels_db[i - 1]:
            high = _cross(frequencies_hz, levels_db, i - 1, edge)
            break
    return Passband(_vertex(frequencies_hz, levels_db, top), low, high)


def ripple_db(points: Sequence[tuple[float, float]], *, low_hz: float, high_hz: float) -> float:
    """Return the ripple (dB) of N points (Hz, dB; rising in frequency) between two edges: how far the deepest dip between two tops
    lies under the lower of them; 0 for a single top."""
    inside = [v for f, v in points if low_hz <= f <= high_hz]
    deepest = 0.0
    for i in range(1, len(inside) - 1):
        deepest = max(deepest, min(max(inside[:i]), max(inside[i + 1 :])) - inside[i])
    return deepest


def _cross(f: Sequence[float], y: Sequence[float], i: int, edge: float) -> float:
    return f[i] + (f[i + 1] - f[i]) * (edge - y[i]) / (y[i + 1] - y[i])


def _vertex(f: Sequence[float], y: Sequence[float], i: int) -> float:
    if i == 0 or i == len(f) - 1:
        return f[i]
    left, right = (y[i] - y[i - 1]) / (f[i] - f[i - 1]), (y[i + 1] - y[i]) / (f[i + 1] - f[i])
    if left <= right:
        return f[i]
    # Slopes stand at the middles of the two intervals; the vertex is where the line between them crosses zero.
    m1, m2 = (f[i - 1] + f[i]) / 2.0, (f[i] + f[i + 1]) / 2.0
    return m1 + (m2 - m1) * left / (left - right)
