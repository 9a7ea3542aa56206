"""The level at which two outputs are so many decibels apart: a short search over level, and a line through what lies near.

Each try is a level (V) and how far apart the outputs were there (dB). First the level goes along the expected slope, or along what is seen
where that is less, until the criterion lies between two tries; then about the estimate, below and above it by turns, and back to the first
near level, so that a drift shows. Seven near tries at the least, and more the further they scatter.

    apart_i = b (x_i - x) + r (i - n) + w_i + e_i        wanted: x less what w_n makes of it, as it is at the last try (dB)
What nobody knows beforehand, how far tries scatter (e), whether they wander together (w, an autoregression) and drift (r), is not
estimated and then believed: the answer is averaged over all of it, each weighed by how well it explains the tries (Bayes, by grid). So
the stated 95 % hold with few tries too. Good for scatter of 0.05 to 2 dB, and drift up to 0.2 dB a try.
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections.abc import Sequence
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.constants import K95
from calm_needle.core.lazy import Lazy

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

# A line is drawn once a try came this near to the criterion, through the tries whose level is within so much of that one's, and, once
# there are a few, nearer to where it crosses: further off a gain control sets in, and what is bent there says nothing here.
NEAR_DB, BESIDE_DB, CLOSE_DB, A_FEW = 2.5, 3.5, 2.0, 3
LIKE_BURIED_DB = 1.5  # apart by less, a signal says nothing of how much more is needed
LEAST_NEAR, MOST_TRIES = 7, 24
LONGEST_STEP_DB, LEAST_STEP_DB, STEP_DB, LEAST_SLOPE = 24.0, 1.2, 12.0, 0.15
BETWEEN_DB = 3.0  # how near each other the tries below and above are brought before a line counts
OVERLOADED_DB = 1.0  # that more level gives less
ABOUT_DB = (1.2, -1.2, 0.0)  # about the estimate, by turns
BACK = 4  # which near tries, each so many, go back to the first near level
ENOUGH_U95_DB = 0.5
# What is averaged over: the size of what is unsure in a try (dB), which share of its variance wanders, with what memory from try to try,
# and how large drifts are (dB a try); wanders and drifts each with how likely they are held beforehand.
SIZES_DB = (0.04, 0.07, 0.12, 0.2, 0.3, 0.45, 0.65, 0.9, 1.3, 2.0)
WANDERS = ((0.0, 0.0, 2.0), (0.5, 0.8, 1.0), (0.9, 0.8, 1.0))
DRIFTS_DB = ((0.003, 1.0), (0.1, 3.0))
ANYWHERE_DB = 100.0
REFINED, BISECTED = 2, 25
INSIDE, LEAST_WEIGHT, LEAST_DB = 0.95, 1e-6, 0.01


class Tried(NamedTuple):
    """A level (V) and how many decibels the outputs were apart there."""

    level_v: float
    apart_db: float


class Found(NamedTuple):
    """The level (V), its uncertainty (95 %, dB) by the search alone, and how many tries it stands on."""

    level_v: float
    u95_db: float
    near: int

    @property
    def sigma_db(self) -> float:
        """The standard deviation that goes with it (dB)."""
        return self.u95_db / K95


def next_level(
    tried: Sequence[Tried],
    *,
    wanted_db: float,
    slope: tuple[float, float],
    least_v: float,
    most_v: float,
    first_v: float = 1e-4,
) -> float | None:
    """Return the level (V) to try next; None when the line is known well enough, or the generator goes no further.

    slope: what a decibel more adds (dB), and its standard deviation.
    """
    if not tried:
        return min(max(first_v, least_v), most_v)
    if len(tried) >= MOST_TRIES:
        return None
    below, above = _either_side(tried, wanted_db)
    found = level_of(tried, wanted_db=wanted_db, slope=slope)
    if found is not None and below and above and _level_db(above) - _level_db(below) <= BETWEEN_DB:
        near = _near(tried, wanted_db, slope[0])
        if len(near) >= LEAST_NEAR and found.u95_db <= ENOUGH_U95_DB:
            return None
        level = near[0].level_v if len(near) % BACK == BACK - 1 else found.level_v * _times(ABOUT_DB[len(tried) % len(ABOUT_DB)])
    else:
        last = below if below and (not above or wanted_db - below.apart_db <= above.apart_db - wanted_db) else above
        assert last
        missing = wanted_db - last.apart_db
        step = STEP_DB if last.apart_db < LIKE_BURIED_DB and missing > 0 else _past(missing / _slope_seen(tried, slope[0]))
        level = last.level_v * _times(step)
        if not above and (top := _about_the_top(tried)):
            low_v, high_v = top
            if high_v / low_v < _times(LEAST_STEP_DB):
                return None  # it is not reached: beyond this the set is overloaded
            level = math.sqrt(low_v * high_v)
        if below and above and not below.level_v < level < above.level_v:
            level = math.sqrt(below.level_v * above.level_v)
    level = min(max(level, least_v), most_v)
    # At its end the generator gives the same again: that tells nothing new.
    stuck = level in (least_v, most_v) and sum(math.isclose(t.level_v, level, rel_tol=1e-6) for t in tried) > 1
    return None if stuck else level


def level_of(tried: Sequence[Tried], *, wanted_db: float, slope: tuple[float, float]) -> Found | None:
    """Return the level (V) for the criterion, as it is at the last try, by the line through the near tries; None while none is near.

    The expected slope takes part as far as it is sure: with few tries it leads, with many the tries do.
    """
    near = _near(tried, wanted_db, slope[0])
    if not near:
        return None
    x = np.array([_level_db(t) for t in near])
    y = np.array([t.apart_db - wanted_db for t in near])
    b, at_db = slope[0], float(x.mean() - y.mean() / slope[0])
    for _ in range(REFINED):
        weights, a, b_of, sigma = _lines(x - at_db, y, slope)
        b = min(max(float(weights @ b_of), 0.5 * slope[0]), 2.0 * slope[0])
        mean = float(weights @ a)
        at_db -= mean / b
    return Found(10.0 ** (at_db / 20.0), _half_width(weights, a - mean, sigma) / b, len(near))


def _slope_seen(tried: Sequence[Tried], usual: float) -> float:
    """What a decibel more has added by the last two tries, between a part of the usual and all of it: little where a gain control holds."""
    if len(tried) < 2 or tried[-1].level_v == tried[-2].level_v:
        return usual
    one, other = tried[-2:]
    seen = (other.apart_db - one.apart_db) / (_level_db(other) - _level_db(one))
    return min(max(seen, LEAST_SLOPE * usual), usual)


def _past(step_db: float) -> float:
    """A step that goes at least somewhat past where it should end, so that the criterion soon lies between two tries."""
    return math.copysign(min(max(abs(step_db), LEAST_STEP_DB), LONGEST_STEP_DB), step_db)


def _lines(x: Floats, y: Floats, slope: tuple[float, float]) -> tuple[Floats, Floats, Floats, Floats]:
    """By each supposition: its weight, how far apart it is at x = 0 at the last try (dB), the slope there, and how surely the former is
    known (standard deviation, dB)."""
    n = len(x)
    known = _suppositions(n)
    design = np.column_stack([np.ones(n), x, np.arange(n) - (n - 1.0)])
    prior = np.zeros((len(known.drift_db), 3))
    prior[:, 0], prior[:, 1], prior[:, 2] = ANYWHERE_DB**-2, slope[1] ** -2, known.drift_db**-2
    left = y - design @ np.array([0.0, slope[0], 0.0])
    weighed = known.inverse @ design
    information = design.T @ weighed + prior[:, :, None] * np.eye(3)
    spread = np.linalg.inv(information)
    found = np.einsum("kij,klj,l->ki", spread, weighed, left)
    # How well it explains the tries: the Gaussian likelihood with the line's own freedom taken out.
    misfit = (known.inverse @ left) @ left - np.einsum("ki,kij,kj->k", found, information, found)
    size = known.log_size + np.linalg.slogdet(information)[1] - np.log(prior).sum(axis=1)
    logs = -0.5 * (misfit + size) + known.belief
    weights = np.exp(logs - logs.max())
    # What wanders is seen in the tries before: where it stands at the last belongs to the answer.
    follows = np.einsum("ki,kij->kj", known.with_last, known.inverse)
    of_line = np.array([1.0, 0.0, 0.0]) - follows @ design
    at_last = np.einsum("ki,ki->k", of_line, found) + follows @ left
    variance = np.einsum("ki,kij,kj->k", of_line, spread, of_line) + known.wanders - np.einsum("ki,ki->k", follows, known.with_last)
    return weights / weights.sum(), at_last, found[:, 1] + slope[0], np.sqrt(np.maximum(variance, LEAST_DB**2))


class _Suppositions(NamedTuple):
    """Ways in which n tries may be unsure: inverse of their covariance (1/dB²) and the logarithm of its size, what the last one's wandering
    has in common with each (dB²) and has itself, the size of a drift (dB a try), and the logarithm of belief."""

    inverse: Floats
    log_size: Floats
    with_last: Floats
    wanders: Floats
    drift_db: Floats
    belief: Floats


@cache
def _suppositions(n: int) -> _Suppositions:
    apart = np.abs(np.arange(n)[:, None] - np.arange(n)[None, :])
    covariances, with_last, wanders, drifts, beliefs = [], [], [], [], []
    for size, (share, memory, likely), (drift, as_likely) in itertools.product(SIZES_DB, WANDERS, DRIFTS_DB):
        together = size**2 * share * memory**apart
        covariances.append(size**2 * (1.0 - share) * np.eye(n) + together)
        with_last.append(together[-1])
        wanders.append(size**2 * share)
        drifts.append(drift)
        beliefs.append(math.log(likely * as_likely))
    every = np.array(covariances)
    return _Suppositions(
        np.linalg.inv(every), np.linalg.slogdet(every)[1], np.array(with_last), np.array(wanders), np.array(drifts), np.array(beliefs)
    )


def _half_width(weights: Floats, middles: Floats, sigmas: Floats) -> float:
    """Within how much of 0 a mixture of normal distributions lies with 95 %."""
    count = weights > LEAST_WEIGHT
    parts = list(zip(weights[count].tolist(), middles[count].tolist(), (math.sqrt(2.0) * sigmas[count]).tolist(), strict=True))
    low, high = 0.0, max(abs(m) + 4.0 * s for _, m, s in parts)
    for _ in range(BISECTED):
        half = (low + high) / 2.0
        inside = sum(0.5 * w * (math.erf((half - m) / s) + math.erf((half + m) / s)) for w, m, s in parts)
        low, high = (half, high) if inside < INSIDE else (low, half)
    return float(high)


def _either_side(tried: Sequence[Tried], wanted_db: float) -> tuple[Tried | None, Tried | None]:
    """The lowest level that reached the criterion, and the highest below it that did not: an overloaded set falls short again above."""
    above = min((t for t in tried if t.apart_db >= wanted_db), default=None)
    short = [t for t in tried if t.apart_db < wanted_db and (above is None or t.level_v < above.level_v)]
    return max(short, default=None), above


def _about_the_top(tried: Sequence[Tried]) -> tuple[float, float] | None:
    """Between which two levels (V) to look for more where more level already gave plainly less: there the set is overloaded, and the search
    went past its top. The wider of the gaps beside the best try."""
    best = max(tried, key=lambda t: t.apart_db)
    beyond = [t.level_v for t in tried if t.level_v > best.level_v]
    if not any(t.level_v > best.level_v and t.apart_db < best.apart_db - OVERLOADED_DB for t in tried):
        return None
    before = [t.level_v for t in tried if t.level_v < best.level_v]
    above = best.level_v, min(beyond)
    below = (max(before), best.level_v) if before else above
    return max(above, below, key=lambda gap: gap[1] / gap[0])


def _near(tried: Sequence[Tried], wanted_db: float, slope: float) -> list[Tried]:
    """The tries that a line goes through, in their order; none while none has come near the criterion. slope: what a decibel more adds."""
    either = [t for t in _either_side(tried, wanted_db) if t and abs(t.apart_db - wanted_db) <= NEAR_DB]
    nearest = min(either, key=lambda t: abs(t.apart_db - wanted_db), default=None)
    if nearest is None:
        return []
    beside = [t for t in tried if abs(_level_db(t) - _level_db(nearest)) <= BESIDE_DB]
    crosses_db = statistics.median(_level_db(t) - (t.apart_db - wanted_db) / slope for t in beside)
    close = [t for t in beside if abs(_level_db(t) - crosses_db) <= CLOSE_DB]
    return close if len(close) >= A_FEW else beside


def _level_db(t: Tried) -> float:
    return 20.0 * math.log10(t.level_v)


def _times(db: float) -> float:
    return math.pow(10.0, db / 20.0)
