"""Warm-up drift: f(t) = f_final + delta e^(-t/tau), fitted; and when it is stable enough to align."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


FEWEST = 4
STEPS = 80
LONGEST_TAU = 1.0  # of the time watched: by then 63 % of the way is behind


class Drift(NamedTuple):
    """Where it settles, how far off it began (Hz), time constant (s), time until within the tolerance (s), what the fit misses (Hz),
    and the uncertainty (95 %) of where it settles (Hz)."""

    f_final_hz: float
    delta_hz: float
    tau_s: float
    stable_at_s: float
    residual_hz: float
    f_final_u95_hz: float


def fit_drift(*, t_s: Sequence[float], f_hz: Sequence[float], within_hz: float = 10.0) -> Drift:
    """Return the exponential that fits N >= 4 readings best (least squares); times not equal, in any order.

    For a given tau the other two follow by linear least squares, so only tau is searched: on a grid in log tau, then by golden
    section. Raises NoAnswer when nothing bends, or when most of the way lies beyond what was watched: the end is then unknown.
    """
    if len(t_s) != len(f_hz):
        raise OutOfRange("f_hz", shown=f"a list of {len(f_hz)}", wanted=f"as many as t_s, {len(t_s)}")
    if len(t_s) < FEWEST:
        raise OutOfRange("t_s", shown=f"{len(t_s)} times", wanted=f"{FEWEST} or more")
    t, f = np.asarray(t_s, dtype=np.float64), np.asarray(f_hz, dtype=np.float64)
    span = float(np.ptp(t))
    if span <= 0 or len(np.unique(t)) < FEWEST:
        raise OutOfRange("t_s", shown="times that repeat", wanted=f"{FEWEST} different times or more")
    if float(np.ptp(f)) == 0.0:
        raise NoAnswer("f_hz: nothing drifts there, so there is no time constant to find.")
    t0, middle = float(t.min()), float(f.mean())

    low, high = math.log(span / 300.0), math.log(span * 30.0)
    grid = np.linspace(low, high, STEPS)
    best = int(np.argmin(_misfits(t - t0, f - middle, np.exp(grid))))
    if best == STEPS - 1:
        raise NoAnswer("f_hz: it still drifts along a straight line, so the end cannot be seen. Watch it for longer.")

    def misfit(log_tau: float) -> float:
        return float(_misfits(t - t0, f - middle, np.array([math.exp(log_tau)]))[0])

    log_tau = _golden(misfit, float(grid[max(best - 1, 0)]), float(grid[min(best + 1, STEPS - 1)]))
    tau = math.exp(log_tau)
    if tau > span * LONGEST_TAU:
        raise NoAnswer(
            f"f_hz: watched for {span:.0f} s, with a time constant of about {tau:.0f} s: most of the way is still to come, "
            "and its end unknown. Watch it for longer."
        )
    final, delta, left = _linear(t - t0, f - middle, tau)
    delta_at_zero = delta * math.exp(min(t0 / tau, 600.0))
    off = abs(delta_at_zero)
    stable = tau * math.log(off / within_hz) if off > within_hz else 0.0
    return Drift(final + middle, delta_at_zero, tau, stable, math.sqrt(left / len(t)), _final_u95(t - t0, delta, tau, left))


def _final_u95(t: Floats, delta: float, tau: float, left: float) -> float:
    """The uncertainty (95 %) of the end, by the covariance of all three and Student's t: few readings tell less."""
    from scipy.special import stdtrit  # Student's t

    decay = np.exp(-t / tau)
    slopes = np.column_stack([np.ones_like(t), decay, delta * decay * t / tau**2])
    freedom = len(t) - 3
    variance = float(np.linalg.pinv(slopes.T @ slopes)[0, 0]) * left / freedom
    return float(stdtrit(freedom, 0.975)) * math.sqrt(max(variance, 0.0))


def _misfits(t: Floats, f: Floats, taus: Floats) -> Floats:
    """The sum of squares that the best line over each decay leaves."""
    decay = np.exp(-t[None, :] / taus[:, None])
    d, y = decay - decay.mean(axis=1, keepdims=True), f - f.mean()
    power = np.maximum((d * d).sum(axis=1), 1e-300)
    left = y[None, :] - (d @ y / power)[:, None] * d
    return np.asarray((left * left).sum(axis=1), dtype=np.float64)


def _linear(t: Floats, f: Floats, tau: float) -> tuple[float, float, float]:
    decay = np.exp(-t / tau)
    d, y = decay - decay.mean(), f - f.mean()
    delta = float(d @ y) / max(float(d @ d), 1e-300)
    left = y - delta * d
    return float(f.mean() - delta * decay.mean()), delta, float(left @ left)


def _golden(function: Callable[[float], float], low: float, high: float) -> float:
    from scipy.optimize import minimize_scalar  # slow to load; only a fit needs it

    return float(minimize_scalar(function, bounds=(low, high), method="bounded", options={"xatol": 1e-10}).x)
