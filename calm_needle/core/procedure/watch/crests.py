"""Crests in a stream of blocks: turning points in time, the profile over the turns of an adjuster, the resonance that fits it."""

import math
from typing import NamedTuple

from calm_needle.core.procedure.watch.wander import Block

TURN_BIN = 0.02  # turns that count as the same place
RIVAL_DB = 8.0  # dB under the highest crest within which another one is a hump
FIT_DEPTH_DB = 6.0  # dB under the crest that still take part in the fit


class CrestFit(NamedTuple):
    """The fitted crest: its place (turns), its level (dB), turns from it to a loss of 3 dB, standard error of the place (turns)."""

    turns: float
    level_db: float
    half_width_turns: float
    error_turns: float


class Seen(NamedTuple):
    """A crest with what was seen on its two sides (levels in the sense of the goal)."""

    level_db: float
    time_s: float
    turns: float
    fall_before_db: float
    fall_after_db: float


class Pivots:
    """Turning points in time. A turn is believed once the level has gone the other way by the bar.

        high                 a high between two lows that are lower by the bar is a crest seen on both sides
       /    \\      now       the first point is neither: nothing is known of what lay before it
    low      low  /
    """

    def __init__(self) -> None:
        self._seeking_high = True
        self._extreme: Block | None = None
        self._low_db = math.inf  # the low before the extreme now followed upward
        self._dip_db = math.inf  # the low since that extreme
        self._least, self._most = math.inf, -math.inf
        self._crests: list[tuple[Block, float, float]] = []  # block, low before, low after
        self._pending: tuple[Block, float] | None = None  # the last crest, while its far side still deepens

    def add(self, block: Block, bar: float) -> None:
        level = block.level_db
        self._least, self._most = min(self._least, level), max(self._most, level)
        if self._extreme is None:
            self._extreme, self._low_db, self._dip_db = block, level, level
            return
        if self._seeking_high:
            if level > self._extreme.level_db:
                # What dipped since the last high now lies before this one.
                self._low_db = min(self._low_db, self._dip_db)
                self._extreme, self._dip_db = block, level
                return
            self._dip_db = min(self._dip_db, level)
            if self._extreme.level_db - level >= bar:
                self._pending = (self._extreme, self._low_db)
                self._crests.append((*self._pending, level))
                self._seeking_high, self._extreme = False, block
        else:
            if level < self._extreme.level_db:
                self._extreme = block
                if self._pending is not None:
                    self._crests[-1] = (*self._pending, level)
            elif level - self._extreme.level_db >= bar:
                self._low_db = self._extreme.level_db
                self._seeking_high, self._extreme, self._pending = True, block, None
                self._dip_db = level

    @property
    def spread_db(self) -> float:
        return self._most - self._least

    def crest(self, bar: float) -> Seen:
        """The highest crest with a fall on both sides, or the highest point so far with what is known of its sides."""
        full = [c for c in self._crests if min(c[0].level_db - c[1], c[0].level_db - c[2]) >= bar]
        if full:
            block, before, after = max(full, key=lambda c: c[0].level_db)
            return Seen(block.level_db, block.time_s, 0.0, block.level_db - before, block.level_db - after)
        assert self._extreme is not None
        if self._crests:
            block, before, after = max(self._crests, key=lambda c: c[0].level_db)
            return Seen(block.level_db, block.time_s, 0.0, max(0.0, block.level_db - before), block.level_db - after)
        rise = self._extreme.level_db - self._low_db if math.isfinite(self._low_db) else 0.0
        return Seen(self._extreme.level_db, self._extreme.time_s, 0.0, rise, 0.0)


class _Place(NamedTuple):
    """What was read with the adjuster at one place."""

    turns: float
    level_db: float
    time_s: float
    weight: int


class Profile:
    """The level over the turns of the adjuster, one mean per place."""

    def __init__(self) -> None:
        self._bins: dict[int, _Place] = {}
        self._fit: CrestFit | None = None
        self._fresh = True

    def add(self, block: Block) -> None:
        assert block.turns is not None
        key = round(block.turns / TURN_BIN)
        old = self._bins.get(key)
        # A block during which the adjuster moved lags behind it by the meter's averaging: one that stood still counts more.
        worth = block.readings * (6 if block.still else 1)
        weight = min((old.weight if old else 0) + worth, 300)
        share = worth / weight
        if old is None:
            self._bins[key] = _Place(block.turns, block.level_db, block.time_s, weight)
        else:
            self._bins[key] = _Place(
                old.turns + (block.turns - old.turns) * share,
                old.level_db + (block.level_db - old.level_db) * share,
                block.time_s,
                weight,
            )
        self._fresh = False

    @property
    def span_turns(self) -> float:
        return (max(self._bins) - min(self._bins)) * TURN_BIN if self._bins else 0.0

    @property
    def spread_db(self) -> float:
        levels = [p.level_db for p in self._bins.values()]
        return max(levels) - min(levels)

    def crest(self) -> Seen:
        """The highest place, with how far it falls on the left and on the right."""
        top = max(self._bins.values(), key=lambda p: p.level_db)
        left = min((p.level_db for p in self._bins.values() if p.turns < top.turns), default=top.level_db)
        right = min((p.level_db for p in self._bins.values() if p.turns > top.turns), default=top.level_db)
        return Seen(top.level_db, top.time_s, top.turns, top.level_db - left, top.level_db - right)

    def humps(self, bar: float) -> int:
        """The number of crests that stand out of the profile by the bar on both sides, and rival the highest.

        A ripple far down the flank, or on the plain beside a deep null, is no hump.
        """
        least = max(p.level_db for p in self._bins.values()) - RIVAL_DB
        pivots = Pivots()
        for p in sorted(self._bins.values()):
            pivots.add(Block(p.time_s, p.level_db, p.turns, False, 1), bar)
        return len([c for c in pivots._crests if min(c[0].level_db - c[1], c[0].level_db - c[2]) >= bar and c[0].level_db >= least])

    def fit(self) -> CrestFit | None:
        """Least squares of 1/V^2 = A + B (t - t0)^2 over the places near the crest; None where they do not carry it."""
        if not self._fresh:
            self._fit, self._fresh = _fit_resonance(list(self._bins.values())), True
        return self._fit


def _fit_resonance(places: list[_Place]) -> CrestFit | None:
    """Fit the resonance through places; at least five within FIT_DEPTH_DB of the highest, on both sides of the result."""
    top = max(places, key=lambda p: p.level_db)
    near = [p for p in places if p.level_db >= top.level_db - FIT_DEPTH_DB]
    if len(near) < 5:
        return None
    # y = 1/V^2 relative to the crest. Noise of x dB is a relative error of y, so the weight is divided by y^2.
    t_mid = top.turns
    s = [0.0] * 5
    m = [0.0] * 3
    rows = []
    for p in near:
        y = 10.0 ** ((top.level_db - p.level_db) / 10.0)
        t, w = p.turns - t_mid, p.weight / (y * y)
        rows.append((t, y, w))
        tw = w
        for k in range(5):
            s[k] += tw
            if k < 3:
                m[k] += tw * y
            tw *= t
    det, inverse = _invert3(s)
    if det == 0.0:
        return None
    a, b, c = (sum(inverse[i][k] * m[k] for k in range(3)) for i in range(3))
    if c <= 0.0:
        return None
    t0, least = -b / (2.0 * c), a - b * b / (4.0 * c)
    turns = [t for t, _, _ in rows]
    if least <= 0.05 or not min(turns) < t0 < max(turns):
        return None
    residual = sum(w * (y - a - b * t - c * t * t) ** 2 for t, y, w in rows) / max(1, len(rows) - 3)
    # Error propagation of t0 = -b / 2c through the covariance of b and c.
    db, dc = -1.0 / (2.0 * c), b / (2.0 * c * c)
    variance = residual * (db * db * inverse[1][1] + 2.0 * db * dc * inverse[1][2] + dc * dc * inverse[2][2])
    return CrestFit(t_mid + t0, top.level_db - 10.0 * math.log10(least), math.sqrt(least / c), math.sqrt(max(variance, 0.0)))


def _invert3(s: list[float]) -> tuple[float, list[list[float]]]:
    """Determinant and inverse of the symmetric matrix [[s0 s1 s2] [s1 s2 s3] [s2 s3 s4]]; (0, []) when it has none."""
    s0, s1, s2, s3, s4 = s
    c00, c01, c02 = s2 * s4 - s3 * s3, s2 * s3 - s1 * s4, s1 * s3 - s2 * s2
    det = s0 * c00 + s1 * c01 + s2 * c02
    if abs(det) <= 1e-12 * abs(s0 * s2 * s4):
        return 0.0, []
    c11, c12, c22 = s0 * s4 - s2 * s2, s1 * s2 - s0 * s3, s0 * s2 - s1 * s1
    return det, [[c00 / det, c01 / det, c02 / det], [c01 / det, c11 / det, c12 / det], [c02 / det, c12 / det, c22 / det]]
