"""Dial errors: what they say of the oscillator's coil, trimmer and padder, and what to move by how much.

Near right, an oscillator's frequency moves by -f/2 for each unit of relative change in L, and by -2 pi^2 f^3 L for each farad
across the tank: a coil's error goes with f, a trimmer's with f^3 (f: that of the oscillator). Two errors give both.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.quantities import format_si
from calm_needle.errors import OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


# How far parts are believed to be off the dossier before anything was measured (standard deviation of their logarithm).
BELIEF = {"l_osc_h": 0.1, "trim_f": 0.5, "padder_f": 0.15}
READ_TO_HZ = 300.0  # Hz, how well a dial is read, at the least
READ_TO_SHARE = 3e-4  # of the dial frequency
FINER = 6.0  # points measured with a generator are surer than a dial can be read
NAMES = ("l_osc_h", "trim_f", "padder_f")


class DialMoves(NamedTuple):
    """What to change: coil (% of its inductance), trimmer (F); the shrink of errors per round of alternating, rounds until within."""

    coil_change_percent: float
    trimmer_change_f: float
    shrink_per_round: float
    rounds: int


class Compromise(NamedTuple):
    """Worst error (Hz) left by three choices of one adjuster, and the error (Hz) to leave at the first point for each."""

    equal_worst_hz: float
    equal_leave_hz: float
    weighted_worst_hz: float
    weighted_leave_hz: float
    exact_worst_hz: float
    exact_leave_hz: float


class PadderCheck(NamedTuple):
    """Oscillator parts as the errors make them (H, F, F), which one part explains the errors best, and what is left then (Hz r.m.s.)."""

    l_osc_h: float
    trim_f: float
    padder_f: float
    suspect: str
    left_hz: float


def dial_moves(
    *, dial1_hz: float, error1_hz: float, dial2_hz: float, error2_hz: float, if_hz: float, l_osc_h: float, within_hz: float
) -> DialMoves:
    """Return what coil and trimmer must change by to cancel the errors (oscillator too high: positive) at two dial points.

    Oscillator above the signal. Good to a few per cent of the errors while they are under a twentieth of the frequency.
    """
    if not dial2_hz > dial1_hz:
        raise OutOfRange("dial2_hz", shown=format_si(dial2_hz, unit="Hz"), wanted=f"above dial1_hz, {format_si(dial1_hz, unit='Hz')}")
    f1, f2 = dial1_hz + if_hz, dial2_hz + if_hz
    # error = a f + b f^3
    b = (error2_hz / f2 - error1_hz / f1) / (f2 * f2 - f1 * f1)
    a = error1_hz / f1 - b * f1 * f1
    shrink = (f1 / f2) ** 2
    worst = max(abs(error1_hz), abs(error2_hz))
    rounds = 0 if worst <= within_hz else max(1, math.ceil(math.log(within_hz / worst) / math.log(shrink)))
    return DialMoves(200.0 * a, b / (2.0 * math.pi**2 * l_osc_h), shrink, rounds)


def compromise(
    *, dial_hz: Sequence[float], error_hz: Sequence[float], weights: Sequence[float], if_hz: float, adjuster: str, exact: int
) -> Compromise:
    """Return what one adjuster alone can do about errors at N >= 2 points: least worst error, least weighted squares, exact at one.

    adjuster: "coil" (moves each point by f) or "trimmer" (by f^3). weights: N, zero or more. exact: which point, from 1.
    The error to leave is that at the first point, where the adjuster is then set.
    """
    f, e = _lists(dial_hz, error_hz, 2)
    if len(weights) != len(f):
        raise OutOfRange("weights", shown=f"a list of {len(weights)}", wanted=f"as many as dial_hz, {len(f)}")
    if not 1 <= exact <= len(f):
        raise OutOfRange("exact", shown=f"{exact:g}", wanted=f"the number of a point, 1 to {len(f)}")
    w = np.asarray(weights, dtype=np.float64)
    if float(w.sum()) <= 0:
        raise OutOfRange("weights", shown="all zero", wanted="above zero for at least one point")
    pull = (f + if_hz) ** (1.0 if adjuster == "coil" else 3.0)
    pull = pull / pull[0]
    # The worst error is a fan of straight lines over the shift: its least lies where two of them cross.
    crossings = [0.0, *(-e / pull)]
    for i in range(len(f)):
        for k in range(i):
            for sign in (1.0, -1.0):
                slope = pull[i] - sign * pull[k]
                if abs(slope) > 1e-12:
                    crossings.append(float((sign * e[k] - e[i]) / slope))
    shifts = (
        min(crossings, key=lambda s: float(np.abs(e + s * pull).max())),
        -float((w * pull) @ e) / float((w * pull) @ pull),
        -float(e[int(exact) - 1] / pull[int(exact) - 1]),
    )
    out: list[float] = []
    for shift in shifts:
        left = e + shift * pull
        out += [float(np.abs(left).max()), float(left[0])]
    return Compromise(*out)


def padder_check(
    *,
    dial_hz: Sequence[float],
    error_hz: Sequence[float],
    if_hz: float,
    l_osc_h: float,
    trim_f: float,
    padder_f: float,
    l_rf_h: float,
    rf_trim_f: float,
) -> PadderCheck:
    """Return the oscillator's parts as dial errors at N >= 2 points make them, and the one part that explains the errors best.

    The gang at a dial mark is what tunes the signal tank there: 1/((2 pi f)^2 L_rf) - rf_trim. error: (f_osc - f_IF) - dial, oscillator
    above. Least squares in logarithms, the given values as priors (BELIEF); a suspect must explain the errors far better than others.
    """
    f, e = _lists(dial_hz, error_hz, 2)
    gang = 1.0 / ((2.0 * math.pi * f) ** 2 * l_rf_h) - rf_trim_f
    if float(gang.min()) <= 0:
        raise OutOfRange("rf_trim_f", shown=format_si(rf_trim_f, unit="F"), wanted="less than the signal tank has at the highest dial_hz")
    given = np.log(np.array([l_osc_h, trim_f, padder_f]))
    sure = np.maximum(READ_TO_HZ, READ_TO_SHARE * f)

    def model(x: Floats) -> Floats:
        coil, trimmer, padder = np.exp(given + np.clip(x, -3.0, 3.0))
        across = 1.0 / (1.0 / (gang + trimmer) + 1.0 / padder)
        return np.asarray(1.0 / (2.0 * math.pi * np.sqrt(coil * across)) - if_hz - f, dtype=np.float64)

    def misses(x: Floats) -> Floats:
        return np.asarray((model(x) - e) / sure, dtype=np.float64)

    believed = np.array([BELIEF[n] for n in NAMES])
    whole = _least(lambda x: np.concatenate([FINER * misses(x), x / believed]), np.zeros(3))
    alone = {}
    for k, name in enumerate(NAMES):
        unit = np.eye(3)[k]
        found = _least(lambda x, unit=unit: misses(x[0] * unit), np.zeros(1))
        alone[name] = _rms(misses(found[0] * unit))
    coil, trimmer, padder = (float(v) for v in np.exp(given + whole))
    return PadderCheck(coil, trimmer, padder, _suspect(alone, _rms(misses(np.zeros(3)))), _rms(model(whole) - e))


def _rms(x: Floats) -> float:
    return float(np.sqrt(np.mean(x * x)))


def _suspect(alone: dict[str, float], nothing: float) -> str:
    """The one part that explains the errors: well, and more than twice as well as the others; else "none" or "cannot say"."""
    if nothing <= 1.5:
        return "none"
    ranked = sorted(alone, key=alone.__getitem__)
    best, second = alone[ranked[0]], alone[ranked[1]]
    return ranked[0] if best <= max(2.0, 0.15 * nothing) and second > 2.0 * max(best, 0.5) else "cannot say"


def _least(residuals: Callable[..., Floats], start: Floats) -> Floats:
    from scipy.optimize import leastsq  # slow to load; only a fit needs it

    return np.atleast_1d(np.asarray(leastsq(residuals, start, maxfev=400, ftol=1e-7, xtol=1e-7)[0], dtype=np.float64))


def _lists(dial_hz: Sequence[float], error_hz: Sequence[float], fewest: int) -> tuple[Floats, Floats]:
    if len(dial_hz) != len(error_hz):
        raise OutOfRange("error_hz", shown=f"a list of {len(error_hz)}", wanted=f"as many as dial_hz, {len(dial_hz)}")
    if len(dial_hz) < fewest:
        raise OutOfRange("dial_hz", shown=f"{len(dial_hz)} points", wanted=f"{fewest} or more")
    if len(set(dial_hz)) < len(dial_hz):
        raise OutOfRange("dial_hz", shown="a point given twice", wanted="each point once")
    return np.asarray(dial_hz, dtype=np.float64), np.asarray(error_hz, dtype=np.float64)
