"""Three-point tracking: the oscillator's coil, trimmer and padder that keep it one IF above the signal circuit.

Both tanks are tuned by sections of one gang. With C_s the signal tank's whole capacitance at f_s = 1/(2 pi sqrt(L_rf C_s)),
the oscillator's tank has C_s + d in parallel (d: trimmer difference) and a padder P in series with the whole:
    L (2 pi f_o)^2 = 1/P + 1/(C_s + d),      f_o = f_s + f_IF.
Three frequencies give L, d and P in closed form, for the differences of C_s do not contain d.
F. E. Terman, Radio Engineers' Handbook, 1943, sec. 9, tracking.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


GRID = 801
NEWTON_ROUNDS = 12


class Tracking(NamedTuple):
    """Oscillator coil (H), how much more parallel capacitance than the signal tank (F), padder (F), worst error (Hz, no sign)."""

    l_osc_h: float
    trimmer_difference_f: float
    padder_f: float
    max_error_hz: float


class BestPoints(NamedTuple):
    """The three points of equal ripple (Hz), and the worst error with them (Hz)."""

    f1_hz: float
    f2_hz: float
    f3_hz: float
    max_error_hz: float


class ErrorCurve(NamedTuple):
    """Tracking error over the band: signal frequencies (Hz), errors (Hz)."""

    frequencies_hz: list[float]
    errors_hz: list[float]


def three_point(*, f1_hz: float, f2_hz: float, f3_hz: float, if_hz: float, l_rf_h: float, f_low_hz: float, f_high_hz: float) -> Tracking:
    """Return the parts that track exactly at f1 < f2 < f3, oscillator above, and the worst error from f_low to f_high (all Hz).

    Raises OutOfRange for frequencies out of order, NoAnswer when no padder above zero does it. Losses and the coils' own
    capacitance are neglected; strays count into the trimmers.
    """
    _in_order(f1_hz=f1_hz, f2_hz=f2_hz, f3_hz=f3_hz)
    _in_order(f_low_hz=f_low_hz, f_high_hz=f_high_hz)
    parts = _parts(f1_hz, f2_hz, f3_hz, if_hz, l_rf_h)
    errors = _errors(np.geomspace(f_low_hz, f_high_hz, 4 * GRID), parts, if_hz, l_rf_h)
    return Tracking(*parts, float(np.abs(errors).max()))


def error_curve(*, parts: Tracking, if_hz: float, l_rf_h: float, f_low_hz: float, f_high_hz: float, points: int = 161) -> ErrorCurve:
    """Return f_signal - (f_oscillator - f_IF) over the band, at points evenly spaced in pitch."""
    f = np.geomspace(f_low_hz, f_high_hz, points)
    errors = _errors(f, (parts.l_osc_h, parts.trimmer_difference_f, parts.padder_f), if_hz, l_rf_h)
    return ErrorCurve(f.tolist(), errors.tolist())


def best_points(*, if_hz: float, l_rf_h: float, f_low_hz: float, f_high_hz: float) -> BestPoints:
    """Return the three points that leave the least worst error over the band: its four extremes are then equally large.

    Newton's method on the differences of the extremes, from the nodes of Chebyshev's third polynomial in log frequency.
    """
    _in_order(f_low_hz=f_low_hz, f_high_hz=f_high_hz)
    low, high = math.log(f_low_hz), math.log(f_high_hz)
    middle, half = (low + high) / 2.0, (high - low) / 2.0
    f = np.geomspace(f_low_hz, f_high_hz, GRID)

    def unequal(x: Floats) -> Floats:
        ripples = _ripples(f, x, if_hz, l_rf_h)
        return np.diff(ripples) / max(float(ripples.max()), 1e-9)

    x = middle + half * np.cos(math.pi * np.array([5.0, 3.0, 1.0]) / 6.0)
    for _ in range(NEWTON_ROUNDS):
        now = unequal(x)
        if float(np.abs(now).max()) < 1e-4:
            break
        step = 1e-5 * half
        jacobian = np.column_stack([(unequal(x + step * np.eye(3)[k]) - now) / step for k in range(3)])
        move = np.linalg.lstsq(jacobian, -now, rcond=None)[0]
        x = np.sort(np.clip(x + np.clip(move, -0.1 * half, 0.1 * half), low + 1e-3 * half, high - 1e-3 * half))
    points = np.exp(x)
    worst = float(_ripples(f, x, if_hz, l_rf_h).max())
    return BestPoints(float(points[0]), float(points[1]), float(points[2]), worst)


def _parts(f1: float, f2: float, f3: float, if_hz: float, l_rf_h: float) -> tuple[float, float, float]:
    c1, c2, c3 = (1.0 / ((2.0 * math.pi * f) ** 2 * l_rf_h) for f in (f1, f2, f3))
    w1, w2, w3 = ((2.0 * math.pi * (f + if_hz)) ** 2 for f in (f1, f2, f3))
    # (1/x1 - 1/x2) : (1/x2 - 1/x3) = (w1 - w2) : (w2 - w3) with x = c + d; the differences of x are those of c.
    k = (w1 - w2) / (w2 - w3) * (c3 - c2) / (c2 - c1)
    d = (c3 - k * c1) / (k - 1.0)
    l_osc = (1.0 / (c1 + d) - 1.0 / (c2 + d)) / (w1 - w2)
    series = l_osc * w1 - 1.0 / (c1 + d)
    if not (l_osc > 0 and series > 0 and c3 + d > 0):
        raise NoAnswer(
            "f1_hz, f2_hz, f3_hz: no coil with a trimmer and a padder makes the oscillator track there. Spread the points over the band."
        )
    return l_osc, d, 1.0 / series


def _errors(f: Floats, parts: tuple[float, float, float], if_hz: float, l_rf_h: float) -> Floats:
    l_osc, d, padder = parts
    c = 1.0 / ((2.0 * math.pi * f) ** 2 * l_rf_h)
    oscillator = np.sqrt((1.0 / padder + 1.0 / (c + d)) / l_osc) / (2.0 * math.pi)
    return np.asarray(f - (oscillator - if_hz), dtype=np.float64)


def _ripples(f: Floats, x: Floats, if_hz: float, l_rf_h: float) -> Floats:
    """The largest errors below the first point, between the points, and above the last."""
    points = np.exp(x)
    errors = np.abs(_errors(f, _parts(points[0], points[1], points[2], if_hz, l_rf_h), if_hz, l_rf_h))
    edges = [0, *np.searchsorted(f, points).tolist(), len(f)]
    return np.array([errors[a:b].max() if b > a else 0.0 for a, b in pairwise(edges)])


def _in_order(**named: float) -> None:
    names, values = list(named), list(named.values())
    for i in range(1, len(values)):
        if not values[i] > values[i - 1]:
            raise OutOfRange(
                names[i], shown=format_si(values[i], unit="Hz"), wanted=f"above {names[i - 1]}, {format_si(values[i - 1], unit='Hz')}"
            )
