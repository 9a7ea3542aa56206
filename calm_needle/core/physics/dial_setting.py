"""Where a band's adjusters should stand, and the observable moves that bring them there.

The errors at the marks are nearly straight in what is turned. Least worst over the dial is therefore a small linear programme (least t with
every |error| <= t), solved again about each solution until it stands still; the same programme with equations is exact where somebody
listens. A move is something that can be seen: pointer to a mark, generator to a frequency, peak with one adjuster. Which mark, and
which adjuster first, is chosen so that what is not known of the parts does least harm to the result.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.dial_fit import Fit, PartName

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

Goal = Literal["least worst", "book points", "exact"]
ROUNDS, STILL_HZ, ENOUGH = 16, 0.5, 2e-6
STEP: Mapping[PartName, float] = {"coil": 0.1, "trimmer": 0.5, "padder": 0.1}  # how far one programme may go before it is straightened anew
PEAKED_TO_HZ = 60.0  # how well a peak with an adjuster comes to a frequency, of an ordinary strip


class Setting(NamedTuple):
    """Values of the adjusters (as Drawn has them), the errors at the marks then (Hz), the worst of them, and which adjusters are at the end
    of what parts of their class can do."""

    values: Mapping[PartName, float]
    errors_hz: tuple[float, ...]
    worst_hz: float
    at_end: tuple[PartName, ...]


class Move(NamedTuple):
    """Pointer to dial_hz, generator to receives_hz (the oscillator is then at oscillator_hz), peak with the adjuster, which moves it by
    moves_hz there (up: positive)."""

    part: PartName
    dial_hz: float
    receives_hz: float
    oscillator_hz: float
    moves_hz: float


def best_setting(
    fit: Fit,
    *,
    turnable: Sequence[PartName] | None = None,
    goal: Goal = "least worst",
    at_hz: Sequence[float] = (),
    weights: Floats | None = None,
) -> Setting:
    """Return where the adjusters should stand. turnable: which of them are meant, all that the band has if None.

    goal: least worst over the marks; book points: as near to nothing at at_hz as so many adjusters can bring it; exact: nothing at the
    first of at_hz, and least worst elsewhere. weights: of each mark's error, one each if None.
    """
    drawn = fit.drawn
    parts: tuple[PartName, ...] = tuple(drawn.turnable if turnable is None else turnable)
    marks = np.asarray(drawn.marks_hz)
    now = fit.now
    if not parts:
        return _as_it_stands(fit, (), now)
    points = np.asarray(at_hz, dtype=np.float64)
    at = drawn.gang(points) if len(points) else None
    w = np.ones(len(marks)) if weights is None else weights
    low, high = np.array([drawn.limits(p).low for p in parts]), np.array([drawn.limits(p).high for p in parts])
    x = np.clip(np.array([now[p] for p in parts]), low, high)
    step, best_worst, best = np.array([STEP[p] for p in parts]), math.inf, x
    for _ in range(ROUNDS):
        changes = {**now, **dict(zip(parts, x.tolist(), strict=True))}
        errors, slopes = drawn.receives_hz(changes) - marks, drawn.slopes(changes, parts)
        bounds = [(max(a, v - s), min(b, v + s)) for a, b, v, s in zip(low, high, x, step, strict=True)]
        if goal == "least worst" or at is None:
            found, worst = _least_worst(errors * w, slopes * w[:, None], x, bounds), float(np.abs(errors * w).max())
        else:
            there, there_slopes = drawn.receives_hz(changes, at) - points, drawn.slopes(changes, parts, at)
            if goal == "exact":
                found = _least_worst(errors * w, slopes * w[:, None], x, bounds, exact=(there[:1], there_slopes[:1]))
                worst = float(np.abs(errors * w).max()) + 1e3 * float(abs(there[0]))
            else:
                found, worst = _least_worst(there, there_slopes, x, bounds), float(np.abs(there).max())
        if worst < best_worst - STILL_HZ:
            best_worst, best = worst, x
        elif worst > best_worst + STILL_HZ:  # it went too far
            step = step / 4.0
            x = best
            continue
        if float(np.abs(found - x).max()) < ENOUGH:
            break
        x = found
    return _as_it_stands(fit, parts, {**now, **dict(zip(parts, best.tolist(), strict=True))})


def _as_it_stands(fit: Fit, parts: Sequence[PartName], changes: Mapping[str, float]) -> Setting:
    errors = fit.errors_hz(changes)
    at_end = tuple(p for p in parts if min(abs(changes[p] - v) for v in fit.drawn.limits(p)) < 1e-6)
    return Setting({p: changes[p] for p in parts}, tuple(errors.tolist()), float(np.abs(errors).max()), at_end)


def _least_worst(
    errors: Floats, slopes: Floats, x: Floats, bounds: Sequence[tuple[float, float]], *, exact: tuple[Floats, Floats] | None = None
) -> Floats:
    """Where the largest of straight errors is least: a linear programme in the adjusters and that largest error."""
    from scipy.optimize import linprog  # slow to load

    scale = max(float(np.abs(slopes).max()), 1.0)  # so that all unknowns are of one size
    n = slopes.shape[1]
    constant = errors - slopes @ x
    a = np.vstack([np.column_stack([sign * slopes / scale, -np.ones(len(errors))]) for sign in (1.0, -1.0)])
    b = np.concatenate([-constant, constant]) / scale
    by_eq = to_eq = None
    if exact is not None:
        here, by = exact
        by_eq, to_eq = np.column_stack([by / scale, np.zeros(len(here))]), -(here - by @ x) / scale
    cost = np.append(np.zeros(n), 1.0)
    found = linprog(cost, A_ub=a, b_ub=b, A_eq=by_eq, b_eq=to_eq, bounds=[*bounds, (0.0, None)], method="highs")
    if not found.success and exact is not None:  # it cannot be exact there: as near as it comes
        return _least_worst(*exact, x, bounds)
    return np.asarray(found.x, dtype=np.float64)[:n] if found.success and found.x is not None else x


def moves_to(
    fit: Fit, setting: Setting, *, dial_hz: Sequence[float] | None = None, pointer_hz: Callable[[float], float] = lambda _: 0.0
) -> list[Move]:
    """Return the moves, in order, after the last of which every adjuster stands at its value. dial_hz: where the pointer may be put (the
    marks if None). pointer_hz: by how much what is received there varies for the pointer alone (Hz, standard deviation).

    An error in what is believed of the parts moves each adjuster, peaked to its frequency, a little beside its value; of all orders and
    marks, those are taken with which the worst error to be expected is least.
    """
    drawn, parts = fit.drawn, list(setting.values)
    if not parts:
        return []
    at_hz = list(drawn.marks_hz if dial_hz is None else dial_hz)
    at = drawn.gang(at_hz)
    come_to = np.array([math.hypot(PEAKED_TO_HZ, pointer_hz(f)) for f in at_hz])
    now = fit.now
    standing = [i for i, (name, n) in enumerate(fit.names) if n == fit.last.get(name, 0)]
    heads = [fit.names[i][0] for i in standing]
    covariance = fit.covariance[np.ix_(standing, standing)]
    after = {**now, **setting.values}
    by_mark = drawn.slopes(after, heads)
    by_place = drawn.slopes(after, heads, at)
    nominal = np.asarray(setting.errors_hz)
    best: tuple[float, tuple[PartName, ...], tuple[int, ...]] | None = None
    for order in itertools.permutations(parts):
        columns = [heads.index(p) for p in order]
        for places in itertools.permutations(range(len(at_hz)), len(order)):
            expected = _expected(nominal, by_mark, by_place, columns, places, covariance, come_to)
            if best is None or expected < best[0]:
                best = expected, order, places
    assert best is not None
    out: list[Move] = []
    state: dict[str, float] = dict(now)
    for part, place in zip(best[1], best[2], strict=True):
        here = drawn.gang((at_hz[place],))
        before = float(drawn.receives_hz(state, here)[0])
        state[part] = setting.values[part]
        receives = float(drawn.receives_hz(state, here)[0])
        out.append(Move(part, at_hz[place], receives, receives + drawn.side * drawn.if_hz, receives - before))
    return out


def _expected(
    nominal: Floats,
    by_mark: Floats,
    by_place: Floats,
    columns: Sequence[int],
    places: Sequence[int],
    covariance: Floats,
    come_to: Floats,
) -> float:
    """The worst error to be expected at the marks once the moves are made: what is meant to be left, and one standard deviation."""
    size = by_mark.shape[1]
    # What becomes of small errors of belief, and of each peak: rows are the parts as they come to stand, columns what they come from.
    comes = np.hstack([np.eye(size), np.zeros((size, len(places)))])
    for k, (column, place) in enumerate(zip(columns, places, strict=True)):
        pull = by_place[place]
        if abs(pull[column]) < 1.0:
            return math.inf
        others = comes.copy()
        others[column] = 0.0
        row = -(pull @ others) / pull[column]
        row[size + k] += 1.0 / pull[column]
        comes = others
        comes[column] = row
    spread = np.zeros((size + len(places), size + len(places)))
    spread[:size, :size] = covariance
    spread[range(size, size + len(places)), range(size, size + len(places))] = come_to[list(places)] ** 2
    j = by_mark @ comes
    sigma = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", j, spread, j), 0.0))
    return float((np.abs(nominal) + sigma).max())
