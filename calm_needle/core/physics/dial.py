"""Dial errors: what they say of the oscillator's coil, trimmer and padder, and what to move by how much.

One convention everywhere: the printed scale is what the nominal oscillator receives. So at a mark f the nominal tank stands at f + f_IF,
and what gang and trimmer are together there follows from it:
    1/C = 1/C_pad + 1/S        S = gang + trimmer        f_osc = 1 / (2 pi sqrt(L C))
A set whose coil is L (1 + x), whose trimmer is d more and whose padder is C_pad (1 + y) then receives elsewhere; all of it is solved
in the true tank, without the padder where there is none.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
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


# How far parts are believed to be off the dossier before anything was measured (standard deviation of their logarithm).
BELIEF = {"l_osc_h": 0.1, "trim_f": 0.5, "padder_f": 0.15}
READ_TO_HZ = 300.0  # Hz, how well a dial is read, at the least
READ_TO_SHARE = 3e-4  # of the dial frequency
FINER = 6.0  # points measured with a generator are surer than a dial can be read
NAMES = ("l_osc_h", "trim_f", "padder_f")
MOST_ROUNDS = 30
SHRINKS_TO = 0.9  # of an error, from which on rounds lead nowhere
ANY_COIL_H = 100e-6  # without a padder the errors follow whatever the coil is
WIDEST = {"coil": 0.6, "trimmer": 0.9, "padder": 0.6}  # how far each is turned at most, as a share


class DialMoves(NamedTuple):
    """What to change: coil or padder (% of it), trimmer (F); the shrink of errors per round of alternating, rounds until within."""

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


class ThirdRound(NamedTuple):
    """What two plain rounds foretell: what is left of an error each round; where to leave the low end (Hz, its error) so that setting the
    high end once more brings both right; how many plain rounds that saves."""

    shrink_per_round: float
    leave_low_hz: float
    rounds_saved: int


class Tank(NamedTuple):
    """The nominal oscillator tank: coil (H), padder (F, None without), and gang with trimmer at each mark (F, N values)."""

    l_h: float
    padder_f: float | None
    across_f: Floats

    def frequency_hz(self, *, coil: float = 0.0, trimmer_f: float = 0.0, padder: float = 0.0) -> Floats:
        """Return where it oscillates at each mark (Hz), coil and padder changed by a share, the trimmer by so many farads."""
        c = self.across_f + trimmer_f
        if self.padder_f is not None:
            c = 1.0 / (1.0 / c + 1.0 / (self.padder_f * (1.0 + padder)))
        return np.asarray(1.0 / (2.0 * math.pi * np.sqrt(self.l_h * (1.0 + coil) * c)), dtype=np.float64)


def nominal_tank(*, dial_hz: Sequence[float], if_hz: float, l_osc_h: float, padder_f: float | None) -> Tank:
    """Return the nominal tank at marks of the printed scale. Raises OutOfRange for a padder too small to reach them."""
    f = np.asarray(dial_hz, dtype=np.float64) + if_hz
    c = 1.0 / (l_osc_h * (2.0 * math.pi * f) ** 2)
    if padder_f is None:
        return Tank(l_osc_h, None, c)
    if float(c.max()) >= padder_f:
        raise OutOfRange(
            "padder_f", shown=format_si(padder_f, unit="F"), wanted=f"above {format_si(float(c.max()), unit='F')}, which the coil needs"
        )
    return Tank(l_osc_h, padder_f, 1.0 / (1.0 / c - 1.0 / padder_f))


def dial_moves(
    *,
    dial1_hz: float,
    error1_hz: float,
    dial2_hz: float,
    error2_hz: float,
    if_hz: float,
    l_osc_h: float,
    within_hz: float,
    padder_f: float | None = None,
    low_end: str = "coil",
) -> DialMoves:
    """Return what coil (or padder) and trimmer must change by to cancel the errors (oscillator too high: positive) at two dial points.

    Oscillator above the signal. low_end: what answers the low end, coil or padder. Solved in the true tank; the rounds are those of
    setting the low end and the high end in turn, begun from these errors.
    """
    if not dial2_hz > dial1_hz:
        raise OutOfRange("dial2_hz", shown=format_si(dial2_hz, unit="Hz"), wanted=f"above dial1_hz, {format_si(dial1_hz, unit='Hz')}")
    if low_end == "padder" and padder_f is None:
        raise OutOfRange("padder_f", shown="nothing", wanted="the padder's value, since it is to be turned")
    tank = nominal_tank(dial_hz=(dial1_hz, dial2_hz), if_hz=if_hz, l_osc_h=l_osc_h, padder_f=padder_f)
    wanted = np.array([dial1_hz, dial2_hz]) + if_hz
    scale = np.array([1.0, float(tank.across_f.min())])

    def misses(x: Floats) -> Floats:
        y = x * scale
        return tank.frequency_hz(**{low_end: float(y[0]), "trimmer_f": float(y[1])}) / wanted - 1.0

    off = _solve(lambda x: misses(x) - np.array([error1_hz, error2_hz]) / wanted, np.zeros(2)) * scale
    pull = np.array([(misses(h) - misses(-h)) / 2e-4 for h in 1e-4 * np.eye(2)])  # by what is turned, at each mark
    shrink = abs(float(pull[0, 1] / pull[0, 0] * pull[1, 0] / pull[1, 1]))
    rounds, now = 0, off / scale
    while rounds < MOST_ROUNDS and float(np.abs(misses(now) * wanted).max()) > within_hz:
        rounds += 1
        low = _solve(lambda x, n=now: misses(np.array([x[0], n[1]]))[:1], now[:1])
        now = np.array([low[0], now[1]])
        high = _solve(lambda x, n=now: misses(np.array([n[0], x[0]]))[1:], now[1:])
        now = np.array([now[0], high[0]])
    return DialMoves(100.0 * (1.0 / (1.0 + float(off[0])) - 1.0), -float(off[1]), shrink, rounds)


def compromise(
    *,
    dial_hz: Sequence[float],
    error_hz: Sequence[float],
    weights: Sequence[float],
    if_hz: float,
    adjuster: str,
    exact: int,
    l_osc_h: float | None = None,
    padder_f: float | None = None,
) -> Compromise:
    """Return what one adjuster alone can do about errors at N >= 2 points: least worst error, least weighted squares, exact at one.

    adjuster: coil, trimmer or padder. weights: N, zero or more. exact: which point, from 1. l_osc_h is wanted with a padder; without
    one the errors follow whatever it is. The error to leave is that at the first point, where the adjuster is then set.
    """
    f, _ = _lists(dial_hz, error_hz, 2)
    if len(weights) != len(f):
        raise OutOfRange("weights", shown=f"a list of {len(weights)}", wanted=f"as many as dial_hz, {len(f)}")
    if not 1 <= exact <= len(f):
        raise OutOfRange("exact", shown=f"{exact:g}", wanted=f"the number of a point, 1 to {len(f)}")
    w = np.asarray(weights, dtype=np.float64)
    if float(w.sum()) <= 0:
        raise OutOfRange("weights", shown="all zero", wanted="above zero for at least one point")
    curve = errors_after(dial_hz=dial_hz, error_hz=error_hz, if_hz=if_hz, adjuster=adjuster, l_osc_h=l_osc_h, padder_f=padder_f)
    widest = WIDEST[adjuster]
    moves = (
        _least_of(lambda x: float(np.abs(curve(x)).max()), widest),
        _least_of(lambda x: float((w * curve(x) ** 2).sum()), widest),
        _root_of(lambda x: float(curve(x)[int(exact) - 1]), widest),
    )
    out: list[float] = []
    for move in moves:
        left = curve(move)
        out += [float(np.abs(left).max()), float(left[0])]
    return Compromise(*out)


def errors_after(
    *,
    dial_hz: Sequence[float],
    error_hz: Sequence[float],
    if_hz: float,
    adjuster: str,
    l_osc_h: float | None = None,
    padder_f: float | None = None,
) -> Callable[[float], Floats]:
    """Return the errors (Hz, N) as a function of how far one adjuster was moved: coil and padder by a share, the trimmer by a share of the
    least that gang and trimmer have together.

    The set is taken as it oscillates now, not as it should: its own gang at each mark follows from its errors.
    """
    if adjuster == "padder" and padder_f is None:
        raise OutOfRange("padder_f", shown="nothing", wanted="the padder's value, since it is to be turned")
    if padder_f is not None and l_osc_h is None:
        raise OutOfRange("l_osc_h", shown="nothing", wanted="the oscillator coil, since there is a padder")
    f, e = np.asarray(dial_hz, dtype=np.float64), np.asarray(error_hz, dtype=np.float64)
    tank = nominal_tank(dial_hz=list(f + e), if_hz=if_hz, l_osc_h=l_osc_h or ANY_COIL_H, padder_f=padder_f)
    least = float(tank.across_f.min())

    def after(move: float) -> Floats:
        turned = {"trimmer_f": move * least} if adjuster == "trimmer" else {adjuster: move}
        return np.asarray(tank.frequency_hz(**turned) - if_hz - f, dtype=np.float64)

    return after


def errors_left(
    *,
    dial_hz: Sequence[float],
    error_hz: Sequence[float],
    if_hz: float,
    adjuster: str,
    first: int,
    leave_hz: float,
    l_osc_h: float | None = None,
    padder_f: float | None = None,
) -> list[float]:
    """Return the errors (Hz, N) with the adjuster set so that the point numbered `first` (from 0) is left with leave_hz."""
    after = errors_after(dial_hz=dial_hz, error_hz=error_hz, if_hz=if_hz, adjuster=adjuster, l_osc_h=l_osc_h, padder_f=padder_f)
    return [float(v) for v in after(_root_of(lambda x: float(after(x)[first]) - leave_hz, WIDEST[adjuster]))]


def _least_of(function: Callable[[float], float], widest: float) -> float:
    from scipy.optimize import minimize_scalar  # slow to load; only a fit needs it

    return float(minimize_scalar(function, bounds=(-widest, widest), method="bounded", options={"xatol": 1e-13, "maxiter": 200}).x)


def _root_of(function: Callable[[float], float], widest: float) -> float:
    low, high = -widest, widest
    if function(low) * function(high) > 0:
        raise NoAnswer("error_hz: that point is so far off that this adjuster alone does not bring it in.")
    rising = function(high) > 0
    for _ in range(80):
        middle = (low + high) / 2.0
        low, high = (low, middle) if (function(middle) > 0) == rising else (middle, high)
    return (low + high) / 2.0


def _solve(equations: Callable[..., Floats], start: Floats) -> Floats:
    """Newton's method on a few equations of unit scale. Raises NoAnswer where they have no root nearby."""
    x = np.array(start, dtype=np.float64)
    for _ in range(60):
        value = equations(x)
        if not np.all(np.isfinite(value)):
            break
        if float(np.abs(value).max()) < 1e-13:
            return x
        slope = np.column_stack([(equations(x + h) - value) / 1e-6 for h in 1e-6 * np.eye(len(x))])
        try:
            step = np.linalg.solve(slope, -value)
        except np.linalg.LinAlgError:
            break
        x = x + step * min(1.0, 0.4 / max(float(np.abs(step).max()), 1e-12))
    if np.all(np.isfinite(x)) and float(np.abs(equations(x)).max()) < 1e-9:
        return x
    raise NoAnswer("error1_hz, error2_hz: no change of these two alone makes such errors; a part is far off. See padder-check.")


def third_round(*, error1_hz: float, error2_hz: float, within_hz: float) -> ThirdRound:
    """Return how to set the low end in the third round, from its errors as it was met in the first two, when nothing is known of the parts.

    A round: the low end is set right, then the high end, which puts the low end off again. What it was off by, error1_hz when the second
    round began and error2_hz when the third did, shrinks by the same share r each time, so an end left at -r e / (1 - r) comes right
    by itself. Good where errors are small beside the frequency. Raises NoAnswer where rounds do not shrink the error.
    """
    if error1_hz == 0.0:
        raise NoAnswer("error1_hz: an end that was not put off again is right already.")
    r = error2_hz / error1_hz
    if not 0.0 < r < SHRINKS_TO:
        raise NoAnswer(
            "error1_hz, error2_hz: these do not shrink from round to round. Was the low end set right each time, and the high end after it?"
        )
    left = abs(error2_hz)
    rounds = math.ceil(math.log(within_hz / left) / math.log(r)) if left > within_hz else 0
    return ThirdRound(r, -r * error2_hz / (1.0 - r), max(0, rounds - 1))


def padder_check(
    *,
    dial_hz: Sequence[float],
    error_hz: Sequence[float],
    if_hz: float,
    l_osc_h: float,
    trim_f: float,
    padder_f: float,
    l_rf_h: float | None = None,
    rf_trim_f: float | None = None,
) -> PadderCheck:
    """Return the oscillator's parts as dial errors at N >= 2 points make them, and the one part that explains the errors best.

    error: (f_osc - f_IF) - dial, oscillator above. The gang at a mark is what the nominal oscillator needs to receive it, as the scale was
    printed; or, where a signal tank is given and explains the errors better, what tunes that there: 1/((2 pi f)² L_rf) - rf_trim. Least
    squares in logarithms, the given values as priors (BELIEF); a suspect must explain the errors far better than others.
    """
    f, e = _lists(dial_hz, error_hz, 2)
    across = nominal_tank(dial_hz=dial_hz, if_hz=if_hz, l_osc_h=l_osc_h, padder_f=padder_f).across_f
    gangs = [across - trim_f]
    if l_rf_h is not None:
        gang = 1.0 / ((2.0 * math.pi * f) ** 2 * l_rf_h) - (rf_trim_f or 0.0)
        if float(gang.min()) <= 0:
            raise OutOfRange(
                "rf_trim_f", shown=format_si(rf_trim_f or 0.0, unit="F"), wanted="less than the signal tank has at the highest dial_hz"
            )
        gangs.append(gang)
    given = np.log(np.array([l_osc_h, trim_f, padder_f]))
    return min((_explained(f, e, g, given, if_hz) for g in gangs), key=lambda found: found[0])[1]


def _explained(f: Floats, e: Floats, gang: Floats, given: Floats, if_hz: float) -> tuple[float, PadderCheck]:
    """The best that one part, or none, explains (in what a dial can be read to), and what all of them together make of the errors."""
    sure = np.maximum(READ_TO_HZ, READ_TO_SHARE * f)

    def model(x: Floats) -> Floats:
        coil, trimmer, padder = np.exp(given + np.clip(x, -3.0, 3.0))
        across = 1.0 / (1.0 / np.maximum(gang + trimmer, 1e-15) + 1.0 / padder)
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
    nothing = _rms(misses(np.zeros(3)))
    coil, trimmer, padder = (float(v) for v in np.exp(given + whole))
    return min(nothing, *alone.values()), PadderCheck(coil, trimmer, padder, _suspect(alone, nothing), _rms(model(whole) - e))


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
