"""Where the crest is from here: by the turns of the adjuster, or, where only the hand's way is known, by time along one way.

One adjuster enters the transfer of its circuits as 1/|c0 + c1 j a|, so with d decibels under the crest
    v = sqrt(10^(d/10) - 1)
is a straight line in turns on each flank, zero at the crest; over a null it is the same upside down. A hand that goes one way goes
steadily enough for time to stand for turns from the flank to the crest.
"""

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from calm_needle.core.procedure.watch.stretches import fit_parabola
from calm_needle.core.procedure.watch.wander import Block

ABOUT_AS_HIGH_DB = 1.0
TURN_BIN = 0.02  # turns that count as the same place
FIT_DEPTH_DB = 6.0  # dB under the crest that still take part in the fit
FLANK_DB = 6.0  # dB under the crest down to which a flank is straight
CLEAR_DB = 0.8  # dB under the crest beyond which the flank tells more than the crest's height does
ROUNDS = 5
LITTLE_WEIGHT = 3  # readings, as which a place counts that was read before levels were joined that may not compare
SLOWEST = 1e-3  # half widths a second
FLANK_S = 14  # s of the way back that are looked at: a hand slows down
FEWEST_ON_FLANK = 4
DB_PER_NEPER = 10.0 / math.log(10.0)


class CrestFit(NamedTuple):
    """The fitted crest: its place (turns), its level (dB), turns from it to a loss of 3 dB, standard error of the place (turns)."""

    turns: float
    level_db: float
    half_width_turns: float
    error_turns: float


class _Place(NamedTuple):
    """What was read with the adjuster at one place."""

    turns: float
    level_db: float
    weight: int


class Profile:
    """The level over the turns of the adjuster, one mean per place."""

    def __init__(self) -> None:
        self._bins: dict[int, _Place] = {}
        self._fit: CrestFit | None = None
        self._fresh = True
        self._best: Block | None = None
        self._best_still: Block | None = None

    def add(self, block: Block) -> None:
        assert block.turns is not None
        if self._best is None or block.level_db > self._best.level_db:
            self._best = block
        if block.still and (self._best_still is None or block.level_db > self._best_still.level_db):
            self._best_still = block
        key = round(block.turns / TURN_BIN)
        old = self._bins.get(key)
        # A block during which the adjuster moved lags behind it by the meter's averaging: one that stood still counts more.
        worth = block.readings * (6 if block.still else 1)
        weight = min((old.weight if old else 0) + worth, 300)
        share = worth / weight
        turns, level = (old.turns, old.level_db) if old else (block.turns, block.level_db)
        self._bins[key] = _Place(turns + (block.turns - turns) * share, level + (block.level_db - level) * share, weight)
        self._fresh = False

    def lower(self, by_db: float) -> None:
        """Take the heights so far for less: what is read from now on may not compare with them, and soon outweighs them."""
        self._bins = {k: p._replace(weight=min(p.weight, LITTLE_WEIGHT)) for k, p in self._bins.items()}
        self._fit, self._fresh = None, not self._bins
        self._best = self._best and self._best._replace(level_db=self._best.level_db - by_db)
        self._best_still = self._best_still and self._best_still._replace(level_db=self._best_still.level_db - by_db)

    @property
    def span_turns(self) -> float:
        return (max(self._bins) - min(self._bins)) * TURN_BIN if self._bins else 0.0

    @property
    def best_at_rest_db(self) -> float | None:
        """The highest level that was seen while the adjuster stood still; None where it never did."""
        return self._best_still.level_db if self._best_still else None

    def best_turns(self) -> float:
        """The place of the highest level: where the adjuster stood still if that was about as high, for a block on the move lags."""
        best, still = self._best, self._best_still
        assert best is not None and best.turns is not None
        return still.turns if still and still.turns is not None and still.level_db >= best.level_db - ABOUT_AS_HIGH_DB else best.turns

    def sides(self, fit: CrestFit) -> tuple[float, float]:
        """How far under a fitted crest it was seen on its left and on its right (dB): the means of places, whenever they were visited."""
        under = [(p.turns < fit.turns, fit.level_db - p.level_db) for p in self._bins.values()]
        left, right = ([db for on_left, db in under if on_left is side] for side in (True, False))
        return max(left, default=0.0), max(right, default=0.0)

    def fit(self) -> CrestFit | None:
        """Least squares of 1/V² = A + B (t - t0)² over the places near the crest; None where they do not carry it."""
        if not self._fresh:
            self._fit, self._fresh = _fit_resonance(list(self._bins.values())), True
        return self._fit


def _fit_resonance(places: Sequence[_Place]) -> CrestFit | None:
    """Fit the resonance through places; at least five within FIT_DEPTH_DB of the highest, on both sides of the result."""
    top = max(places, key=lambda p: p.level_db)
    near = [p for p in places if p.level_db >= top.level_db - FIT_DEPTH_DB]
    if len(near) < 5:
        return None
    # Noise of x dB is a relative error of 1/V², so the weight is divided by its square.
    xs = [p.turns - top.turns for p in near]
    ys = [10.0 ** ((top.level_db - p.level_db) / 10.0) for p in near]
    fitted = fit_parabola(xs, ys, [p.weight / (y * y) for p, y in zip(near, ys, strict=True)])
    if fitted is None or fitted.least <= 0.05 or not min(xs) < fitted.at < max(xs):
        return None
    level = top.level_db - 10.0 * math.log10(fitted.least)
    return CrestFit(top.turns + fitted.at, level, math.sqrt(fitted.least / fitted.bend), fitted.error)


class Approach(NamedTuple):
    """Where a hand that comes back steadily is: `off`, in half widths short of the crest (negative: beyond); half widths a second."""

    off: float
    speed: float

    @property
    def left_s(self) -> float:
        """Seconds to the crest at this speed."""
        return self.off / self.speed


def approach(
    blocks: Iterable[Block],
    *,
    crest_db: float,
    now_s: float,
    depth_db: float = FLANK_DB,
    block_error_db: float = 0.0,
    height_error_db: float = 0.0,
) -> Approach | None:
    """Return where the hand is on its way over a crest, from what it has come over; None while that is short.

    blocks: of one way, in order. crest_db: the crest's height, as far as it is known. depth_db: how far down the flank is still straight.
    block_error_db, height_error_db: standard deviations of a block and of that height; 0 where they are not known.

    With d decibels under the crest and y = 10^(d/10) - 1 the way is y = s² (t - t0)². A straight line through the flank gives s and t0 to
    begin with; least squares in the decibels then, by Gauss and Newton, for s, t0 and what the crest is off the height it was taken for,
    which the flank knows less of the nearer the hand is to it, and the crest more.
    """
    seen = [(b.time_s - now_s, crest_db - b.level_db) for b in blocks if now_s - b.time_s <= FLANK_S]
    flank = [(t, math.sqrt(y), y / (1.0 + y) ** 2) for t, d in seen if CLEAR_DB < d <= depth_db for y in (10.0 ** (d / 10.0) - 1.0,)]
    if len(flank) < FEWEST_ON_FLANK:
        return None
    total = sum(w for _, _, w in flank)  # an error of x dB is one of 0.115 x (1 + y) / v in v
    t_mean, v_mean = sum(w * t for t, _, w in flank) / total, sum(w * v for _, v, w in flank) / total
    spread = sum(w * (t - t_mean) ** 2 for t, _, w in flank)
    slope = sum(w * (t - t_mean) * (v - v_mean) for t, v, w in flank) / spread if spread else 0.0
    if slope >= -SLOWEST:
        return None  # not on the way up
    first = flank[0][0]
    surer = block_error_db > 0.0 and height_error_db > 0.0
    rows = [(t, d) for t, d in seen if d <= depth_db and (t >= first if surer else d > CLEAR_DB)]
    prior = (block_error_db / height_error_db) ** 2 if surer else math.inf
    s, t0 = _steady_way(rows, s=-slope, t0=t_mean - v_mean / slope, prior=prior)
    return Approach(s * t0, s) if s > SLOWEST else None


def _steady_way(rows: Sequence[tuple[float, float]], *, s: float, t0: float, prior: float) -> tuple[float, float]:
    """Fit s and t0 to (t, decibels under the crest); prior: how many blocks the crest's height is worth, infinite where it stands."""
    h = 0.0
    for _ in range(ROUNDS):
        a: list[list[float]] = [[0.0] * 3 for _ in range(3)]
        b = [0.0, 0.0, 0.0]
        for t, d in rows:
            u = t - t0
            y = s * s * u * u
            per = 2.0 * DB_PER_NEPER * s * u / (1.0 + y)
            left = d - h - DB_PER_NEPER * math.log1p(y)
            slopes = (per * u, -per * s, 1.0)
            for i in range(3):
                b[i] += slopes[i] * left
                for j in range(3):
                    a[i][j] += slopes[i] * slopes[j]
        free = 2 if math.isinf(prior) else 3
        if free == 3:
            a[2][2] += prior
            b[2] -= prior * h
        step = _solved(a, b, free)
        if step is None:
            break
        s, t0, h = s + step[0], t0 + step[1], h + step[2]
        if s <= SLOWEST:
            break
    return s, t0


def _solved(a: list[list[float]], b: list[float], free: int) -> tuple[float, float, float] | None:
    """Solve the first `free` of three symmetric equations; None where they do not determine it."""
    if free == 3:
        # What the height takes with it is eliminated first.
        c02, c12, c22 = a[0][2], a[1][2], a[2][2]
        a11, a12, a22 = a[0][0] - c02 * c02 / c22, a[0][1] - c02 * c12 / c22, a[1][1] - c12 * c12 / c22
        b1, b2 = b[0] - c02 * b[2] / c22, b[1] - c12 * b[2] / c22
    else:
        a11, a12, a22, b1, b2 = a[0][0], a[0][1], a[1][1], b[0], b[1]
    det = a11 * a22 - a12 * a12
    if det <= 1e-12 * a11 * a22:
        return None
    x, y = (a22 * b1 - a12 * b2) / det, (a11 * b2 - a12 * b1) / det
    return x, y, (b[2] - a[0][2] * x - a[1][2] * y) / a[2][2] if free == 3 else 0.0
