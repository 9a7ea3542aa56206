"""The level at which two outputs are so many decibels apart: a short search over level, and a line through what lies near.

Each try is a level (V) and how far apart the outputs were there (dB), unsure by the noise. First the level goes along the expected slope
until a try lies near; then about the estimate, below and above it by turns, until the line through the near tries is known well enough.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

NEAR_DB = 4.0  # of the criterion, within which a line is straight enough
LIKE_BURIED_DB = 1.5  # apart by less, a signal says nothing of how much more is needed
LEAST_NEAR, MOST_TRIES = 4, 16
LONGEST_STEP_DB, STEP_DB = 24.0, 12.0
ABOUT_DB = (1.2, -1.2, 0.0)  # about the estimate, by turns
READ_DB = 0.25  # standard deviation that a try is taken to have before its scatter is known; and the least it is believed to have
LEAST_READ_DB = 0.06
ENOUGH_DB = 0.25


class Tried(NamedTuple):
    """A level (V) and how many decibels the outputs were apart there."""

    level_v: float
    apart_db: float


class Found(NamedTuple):
    """The level (V), the standard deviation of it (dB) by the search alone, and how many tries it stands on."""

    level_v: float
    sigma_db: float
    near: int


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
    near = _near(tried, wanted_db)
    found = level_of(tried, wanted_db=wanted_db, slope=slope)
    if found is not None:
        if len(near) >= LEAST_NEAR and found.sigma_db <= ENOUGH_DB:
            return None
        level = found.level_v * _times(ABOUT_DB[len(near) % len(ABOUT_DB)])
    else:
        below = max((t for t in tried if t.apart_db < wanted_db), default=None)
        above = min((t for t in tried if t.apart_db >= wanted_db), default=None)
        last = below if below and (not above or wanted_db - below.apart_db <= above.apart_db - wanted_db) else above
        assert last
        missing = wanted_db - last.apart_db
        buried = last.apart_db < LIKE_BURIED_DB and missing > 0
        step = STEP_DB if buried else min(max(missing / slope[0], -LONGEST_STEP_DB), LONGEST_STEP_DB)
        level = last.level_v * _times(step)
        if below and above and not below.level_v < level < above.level_v:
            level = math.sqrt(below.level_v * above.level_v)
    level = min(max(level, least_v), most_v)
    # At its end the generator gives the same again: that tells nothing new.
    stuck = level in (least_v, most_v) and sum(math.isclose(t.level_v, level, rel_tol=1e-6) for t in tried) > 1
    return None if stuck else level


def level_of(tried: Sequence[Tried], *, wanted_db: float, slope: tuple[float, float]) -> Found | None:
    """Return the level (V) for the criterion by the line through the near tries; None while none is near.

    Least squares, the expected slope taking part as far as it is sure: with few tries it leads, with many the tries do.
    """
    near = _near(tried, wanted_db)
    if not near:
        return None
    x = [20.0 * math.log10(t.level_v) for t in near]
    y = [t.apart_db - wanted_db for t in near]
    n, expected, unsure = len(near), slope[0], slope[1]
    x0, y0 = sum(x) / n, sum(y) / n
    sxx = sum((a - x0) ** 2 for a in x)
    sxy = sum((a - x0) * (b - y0) for a, b in zip(x, y, strict=True))
    weight = READ_DB**2 / unsure**2
    b = (sxy + weight * expected) / (sxx + weight)
    b = min(max(b, 0.5 * expected), 2.0 * expected)
    left = [v - y0 - b * (u - x0) for u, v in zip(x, y, strict=True)]
    # What is expected of a reading counts as four readings of it, so that a lucky few are not believed.
    read = math.sqrt((sum(e * e for e in left) + 4.0 * READ_DB**2) / (n + 3.0)) if n > 1 else READ_DB
    read = max(read, LEAST_READ_DB)
    off = y0 / b
    sigma_b = math.sqrt(read**2 / (sxx + weight))
    sigma = math.hypot(read / math.sqrt(n) / b, off * sigma_b / b)
    return Found(10.0 ** ((x0 - off) / 20.0), sigma * (1.0 + 1.0 / n), n)  # a spread that is known from few is known badly


def _near(tried: Sequence[Tried], wanted_db: float) -> list[Tried]:
    return [t for t in tried if abs(t.apart_db - wanted_db) <= NEAR_DB]


def _times(db: float) -> float:
    return math.pow(10.0, db / 20.0)
