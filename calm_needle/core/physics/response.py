"""The response of a coupled pair: its peaks, dip and width; and the pair that fits a measured response."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


GRID = 4001
FEWEST_POINTS = 12


class PairResponse(NamedTuple):
    """Level at the asked frequency (dB re T = 1), peaks (Hz, equal when single), dip (dB re the higher), width 3 dB under that (Hz)."""

    response_db: float
    peak_low_hz: float
    peak_high_hz: float
    dip_db: float
    bandwidth_3db_hz: float


class PairFit(NamedTuple):
    """The pair that fits a response: its parts, the gain (dB) it stands on, and what the fit misses (dB r.m.s.)."""

    f1_hz: float
    q1: float
    f2_hz: float
    q2: float
    kappa: float
    gain_db: float
    residual_db: float


def pair_levels_db(f_hz: Floats, *, f1_hz: float, q1: float, f2_hz: float, q2: float, kappa: float) -> Floats:
    """Return 20 log10 |T| at each frequency; T as in core.physics.coupling."""
    a1 = q1 * (f_hz / f1_hz - f1_hz / f_hz)
    a2 = q2 * (f_hz / f2_hz - f2_hz / f_hz)
    # |(1 + j a1)(1 + j a2) + k^2|^2 without complex numbers
    real, imaginary = 1.0 - a1 * a2 + kappa * kappa, a1 + a2
    return np.asarray(20.0 * math.log10(2.0 * kappa) - 10.0 * np.log10(real * real + imaginary * imaginary), dtype=np.float64)


def coupled_pair(*, f1_hz: float, q1: float, f2_hz: float, q2: float, kappa: float, f_hz: float | None = None) -> PairResponse:
    """Return peaks, dip and bandwidth of a coupled pair, and its level at f_hz (the geometric mean of f1 and f2 if not given).

    Bandwidth between the outermost points 3 dB under the higher peak. Q above 2 and circuits within an octave, else OutOfRange.
    """
    if not 0.5 <= f1_hz / f2_hz <= 2.0:
        raise OutOfRange("f2_hz", shown=f"{f2_hz:g} Hz", wanted="within an octave of f1_hz")
    centre = math.sqrt(f1_hz * f2_hz)

    def level(f: Floats) -> Floats:
        return pair_levels_db(f, f1_hz=f1_hz, q1=q1, f2_hz=f2_hz, q2=q2, kappa=kappa)

    # Wide enough for both circuits, their coupling, and the 3 dB points beyond.
    half = centre * (abs(f1_hz - f2_hz) / centre + (3.0 + 2.0 * kappa) / min(q1, q2))
    low, high = max(centre - half, centre / 20.0), centre + half
    f = np.linspace(low, high, GRID)
    db = level(f)
    inside = (db[1:-1] >= db[:-2]) & (db[1:-1] > db[2:])
    tops = [_top(level, f, int(i) + 1) for i in np.flatnonzero(inside)]
    if not tops:
        raise NoAnswer("q1, q2: circuits so broad have no peak of their own here. This is good for Q above 2.")
    best = max(tops, key=lambda t: t[1])
    first, last = min(tops)[0], max(tops)[0]
    between = float(level(np.array([math.sqrt(first * last)]))[0])
    dip = min(0.0, between - best[1]) if first != last else 0.0
    above = np.flatnonzero(db >= best[1] - 3.0102999566398120)
    edges = [
        _edge(level, float(f[max(above[0] - 1, 0)]), float(f[above[0]]), best[1]),
        _edge(level, float(f[min(above[-1] + 1, GRID - 1)]), float(f[above[-1]]), best[1]),
    ]
    at = float(level(np.array([f_hz if f_hz is not None else centre]))[0])
    return PairResponse(at, first, last, dip, edges[1] - edges[0])


def fit_pair(*, frequencies_hz: Sequence[float], levels_db: Sequence[float]) -> PairFit:
    """Return the coupled pair (f1 <= f2) that fits a swept response of N >= 12 points (Hz above zero, dB) best.

    Least squares of the decibels, those far down counting less. Not all of it can be told from a magnitude: with equal Q the
    response depends on kappa^2 + delta^2 only (delta: half the detuning between the circuits, in half bandwidths), so a little
    less coupling looks like a little more stagger; their mean frequency and mean Q are sure. Raises NoAnswer when no pair comes
    within 3 dB r.m.s.
    """
    from scipy.optimize import least_squares  # slow to load; only a fit needs it

    if len(frequencies_hz) != len(levels_db):
        raise OutOfRange("levels_db", shown=f"a list of {len(levels_db)}", wanted=f"as many as frequencies_hz, {len(frequencies_hz)}")
    if len(frequencies_hz) < FEWEST_POINTS:
        raise OutOfRange("frequencies_hz", shown=f"{len(frequencies_hz)} points", wanted=f"{FEWEST_POINTS} or more")
    order = np.argsort(np.asarray(frequencies_hz, dtype=np.float64))
    f, db = np.asarray(frequencies_hz, dtype=np.float64)[order], np.asarray(levels_db, dtype=np.float64)[order]
    top = float(db.max())
    weight = 1.0 / (1.0 + ((top - db) / 20.0) ** 2)
    above = f[db >= top - 3.0]
    centre, width = float((above[0] + above[-1]) / 2.0), max(float(above[-1] - above[0]), float(np.diff(f).min()))

    def unpack(x: Floats) -> tuple[dict[str, float], float]:
        pair = {
            "f1_hz": centre + width * x[0],
            "f2_hz": centre + width * x[1],
            "q1": math.exp(x[2]),
            "q2": math.exp(x[3]),
            "kappa": math.exp(x[4]),
        }
        return pair, float(x[5])

    def residuals(x: Floats) -> Floats:
        pair, gain = unpack(x)
        return (pair_levels_db(f, **pair) + gain - db) * weight

    q = max(3.0, 1.4 * centre / width)
    best, cost = None, math.inf
    # In tune and weakly coupled, staggered, or with two humps: three places to start from.
    for spread, kappa in ((0.02, 0.8), (0.35, 0.6), (0.05, 1.8)):
        start = np.array([-spread, spread, math.log(q * max(1.0, kappa)), math.log(q * max(1.0, kappa)), math.log(kappa), top])
        bounds = (
            [-6.0, -6.0, math.log(2.0), math.log(2.0), math.log(0.02), top - 60.0],
            [6.0, 6.0, math.log(2e5), math.log(2e5), math.log(30.0), top + 60.0],
        )
        found = least_squares(residuals, start, bounds=bounds, max_nfev=60)
        if float(found.cost) < cost:
            best, cost = np.asarray(found.x, dtype=np.float64), float(found.cost)
        if cost < 1e-3 * len(f):
            break
    assert best is not None
    pair, gain = unpack(best)
    left = float(np.sqrt(np.average((pair_levels_db(f, **pair) + gain - db) ** 2, weights=weight**2)))
    if left > 3.0:
        raise NoAnswer(
            f"No coupled pair fits this response within 3 dB (the best misses by {left:.1f} dB r.m.s.). Sweep nearer to its peak."
        )
    if pair["f1_hz"] > pair["f2_hz"]:
        pair["f1_hz"], pair["f2_hz"], pair["q1"], pair["q2"] = pair["f2_hz"], pair["f1_hz"], pair["q2"], pair["q1"]
    return PairFit(pair["f1_hz"], pair["q1"], pair["f2_hz"], pair["q2"], pair["kappa"], gain, left)


def _top(level: object, f: Floats, i: int) -> tuple[float, float]:
    """Refine a peak on ever finer grids: the response is smooth, so three are plenty."""
    low, high = float(f[i - 1]), float(f[i + 1])
    at, db = float(f[i]), 0.0
    for _ in range(3):
        fine = np.linspace(low, high, 41)
        values = level(fine)  # type: ignore[operator]
        k = int(np.argmax(values))
        at, db = float(fine[k]), float(values[k])
        low, high = float(fine[max(k - 1, 0)]), float(fine[min(k + 1, 40)])
    return at, db


def _edge(level: object, outside: float, inside: float, top: float) -> float:
    for _ in range(50):
        middle = (outside + inside) / 2.0
        if float(level(np.array([middle]))[0]) >= top - 3.0102999566398120:  # type: ignore[operator]
            inside = middle
        else:
            outside = middle
    return (outside + inside) / 2.0
