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
ROUNDS = 4
SLOWEST = 1e-3  # half widths a second
FLANK_S = 14  # s of the way back that are looked at: a hand slows down
FEWEST_ON_FLANK = 4


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

    @property
    def span_turns(self) -> float:
        return (max(self._bins) - min(self._bins)) * TURN_BIN if self._bins else 0.0

    def best_turns(self) -> float:
        """The place of the highest level: where the adjuster stood still if that was about as high, for a block on the move lags."""
        best, still = self._best, self._best_still
        assert best is not None and best.turns is not None
        return still.turns if still and still.turns is not None and still.level_db >= best.level_db - ABOUT_AS_HIGH_DB else best.turns

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


def approach(blocks: Iterable[Block], *, crest_db: float, now_s: float, depth_db: float = FLANK_DB) -> Approach | None:
    """Return where the hand is on its way over a crest of known height, from what it has come over; None while that is short.

    blocks: of one way, in order. depth_db: how far down the flank is still straight.

    With y = 10^(d/10) - 1 the way is y = s² (t - t0)²: least squares in s and t0, begun from the straight line through the flank, by
    Gauss and Newton. Close to the crest its own height, which is known no better than the wander, would count for more than the flank.
    """
    seen = [(b.time_s - now_s, crest_db - b.level_db) for b in blocks if now_s - b.time_s <= FLANK_S]
    rows = [(t, 10.0 ** (d / 10.0) - 1.0, 10.0 ** (-d / 10.0)) for t, d in seen if CLEAR_DB < d <= depth_db]
    flank = [(t, math.sqrt(y), y * w * w) for t, y, w in rows]  # an error of x dB is one of 0.115 x (1 + y) / v in v
    if len(flank) < FEWEST_ON_FLANK:
        return None
    total = sum(w for _, _, w in flank)
    t_mean, v_mean = sum(w * t for t, _, w in flank) / total, sum(w * v for _, v, w in flank) / total
    spread = sum(w * (t - t_mean) ** 2 for t, _, w in flank)
    slope = sum(w * (t - t_mean) * (v - v_mean) for t, v, w in flank) / spread if spread else 0.0
    if slope >= -SLOWEST:
        return None  # not on the way up
    s, t0 = -slope, t_mean - v_mean / slope
    for _ in range(ROUNDS):
        a11 = a12 = a22 = b1 = b2 = 0.0
        for t, y, w in rows:
            u = t - t0
            left, by_s, by_t0 = (y - s * s * u * u) * w, 2.0 * s * u * u * w, -2.0 * s * s * u * w
            a11, a12, a22 = a11 + by_s * by_s, a12 + by_s * by_t0, a22 + by_t0 * by_t0
            b1, b2 = b1 + by_s * left, b2 + by_t0 * left
        det = a11 * a22 - a12 * a12
        if det <= 1e-12 * a11 * a22:
            break
        s, t0 = s + (a22 * b1 - a12 * b2) / det, t0 + (a11 * b2 - a12 * b1) / det
        if s <= SLOWEST:
            return None
    return Approach(s * t0, s)
