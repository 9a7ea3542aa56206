"""What was seen while the hand went one way: how far the level rose to its highest, and how far it fell behind it.

level        top                 a stretch is one way of the hand; where its way is not known, everything is one stretch,
         .-''   '-.              and a turning point of the level ends a crossing
   rise .          '. fall
       '             '           a rise and a fall count when they are more than wander, and no hand on a wire made them:
   low before     low after      without its two largest steps each still amounts to a third of the bar
"""

import heapq
import itertools
import math
from typing import NamedTuple

from calm_needle.core.procedure.watch.wander import STEPS_LEFT, Block

FIT_DEPTH_DB = 3.0  # under the top, that takes part in its height
FEWEST_TO_FIT = 5
NEAR_DB = 1.5  # under the top, that counts as near it
ANSWERS_S = 1.5  # s within which a level answers a hand that has turned back, its key pressed early or late


class Slope(NamedTuple):
    """How far the level went between two turning points (dB), and its two largest single steps."""

    db: float
    largest_db: float
    second_db: float

    def counts(self, bar_db: float, *, back: bool = False) -> bool:
        """Whether it is more than wander, and not made by a step or two. back: the way back over what was seen before, shorter and
        not by chance, where one step is enough to be set aside.
        """
        steps = self.largest_db + (0.0 if back else self.second_db)
        return self.db >= bar_db and self.db - steps >= STEPS_LEFT * bar_db


class Crossing(NamedTuple):
    """A crest that was gone through: its height (dB), its time (s), how far it rose to it and fell behind it, its turns if known, and
    for how long (s) the hand was near it: the longer, the better its height is known. unsure_db: by how much (dB), all moves of the
    generator together, levels were joined that do not compare, until it was gone through.
    """

    height_db: float
    time_s: float
    rise_db: float
    fall_db: float
    turns: float | None = None
    near_s: float = 0.0
    unsure_db: float = 0.0


class _Path:
    """The least level along a way, and its largest steps."""

    def __init__(self) -> None:
        self.low_db = math.inf
        self.steps: list[float] = []

    def add(self, *, level_db: float, step_db: float) -> None:
        self.low_db = min(self.low_db, level_db)
        self.steps = heapq.nlargest(2, (*self.steps, step_db))

    def merge(self, other: "_Path") -> None:
        self.low_db = min(self.low_db, other.low_db)
        self.steps = heapq.nlargest(2, (*self.steps, *other.steps))

    def to(self, top_db: float) -> Slope:
        if math.isinf(self.low_db):
            return Slope(0.0, 0.0, 0.0)
        return Slope(max(0.0, top_db - self.low_db), *(*self.steps, 0.0, 0.0)[:2])


class Stretch:
    """One way of the hand. `way` is None where it is not known."""

    def __init__(self, way: int | None) -> None:
        self.way = way
        self.blocks: list[Block] = []
        self.top: Block | None = None
        self._before, self._after = _Path(), _Path()

    def add(self, block: Block, *, alone: bool = False) -> None:
        """Take a block in. alone: a reading that a person looked at, so that a step is a step of the adjuster."""
        step = 0.0
        if self.blocks and not alone:
            last = self.blocks[-1]
            jumped = block.turns is not None and last.turns is not None and abs(block.turns - last.turns) > 0.0
            step = 0.0 if jumped and abs(block.turns - last.turns) > JUMP_TURNS else abs(block.level_db - last.level_db)  # type: ignore[operator]
        self.blocks.append(block)
        if self.top is None:
            self.top = block
            self._before.add(level_db=block.level_db, step_db=0.0)
        elif block.level_db > self.top.level_db:
            self._before.merge(self._after)
            self._before.add(level_db=self.top.level_db, step_db=step)
            self.top, self._after = block, _Path()
        else:
            self._after.add(level_db=block.level_db, step_db=step)

    @property
    def turned(self) -> float:
        """How far the tool was turned this way, where that is known."""
        known = [b.turns for b in (self.blocks[0], self.blocks[-1]) if b.turns is not None] if self.blocks else []
        return abs(known[1] - known[0]) if len(known) == 2 else 0.0

    def lately(self, span_s: float) -> tuple[float, float]:
        """Seconds of this way within the last span, and how far the needle went in them (dB)."""
        if not self.blocks:
            return 0.0, 0.0
        now_s = self.blocks[-1].time_s
        seen = list(itertools.takewhile(lambda b: now_s - b.time_s <= span_s, reversed(self.blocks)))
        levels = [b.level_db for b in seen]
        return now_s - seen[-1].time_s, max(levels) - min(levels)

    @property
    def moved_db(self) -> float:
        """How far the needle went on this way (dB)."""
        return max(self.rise.db, self.fall.db)

    @property
    def rise(self) -> Slope:
        return self._before.to(self.top.level_db) if self.top else Slope(0.0, 0.0, 0.0)

    @property
    def fall(self) -> Slope:
        return self._after.to(self.top.level_db) if self.top else Slope(0.0, 0.0, 0.0)

    def came_with_the_hand(self, bar_db: float) -> bool:
        """Whether the rise began when the stretch did: a level that goes on falling after the hand has turned back falls by itself."""
        first, low = self.blocks[0], min(self.blocks, key=lambda b: (b.level_db, b.time_s))
        early = low.time_s - first.time_s <= ANSWERS_S
        return early or first.level_db - low.level_db <= bar_db / 2.0 or bool(self.top and self.top.time_s < low.time_s)

    def crossing(self, *, bar_db: float, drifted_db: float) -> Crossing | None:
        """Return the crest of this stretch, if it rose to it and fell behind it by more than wander and drift; else None."""
        bar = max(bar_db, drifted_db)
        if self.top is None or not (self.rise.counts(bar) and self.fall.counts(bar)):
            return None
        return Crossing(self.height_db(), self.top.time_s, self.rise.db, self.fall.db, self.top.turns, self.near_s())

    def near_s(self) -> float:
        """How long the hand was near the top (s)."""
        near = [b.time_s for b in self.blocks if self.top and b.level_db >= self.top.level_db - NEAR_DB]
        return near[-1] - near[0] if near else 0.0

    def height_db(self) -> float:
        """Return how high its crest is: of the parabola that 1/V² is about the top, so that wander does not raise it."""
        assert self.top is not None
        top = self.top
        # Not beyond the lowest behind it: there the hand may have turned back already, its key still to come.
        after = [b for b in self.blocks if b.time_s > top.time_s]
        until = min(after, key=lambda b: b.level_db).time_s if after else top.time_s
        near = [b for b in self.blocks if b.level_db >= top.level_db - FIT_DEPTH_DB and b.time_s <= until]
        if len(near) < FEWEST_TO_FIT:
            return top.level_db
        fitted = fit_parabola(
            [b.time_s - top.time_s for b in near],
            [10.0 ** ((top.level_db - b.level_db) / 10.0) for b in near],
            [10.0 ** (-(top.level_db - b.level_db) / 5.0) for b in near],
        )
        if fitted is None or fitted.least <= 0.3:
            return top.level_db
        # A hand that dwelt at the crest bends the parabola too little: never above what was read.
        return min(top.level_db, top.level_db - 10.0 * math.log10(fitted.least))


JUMP_TURNS = 0.04  # turns between two blocks: a key was pressed


class Parabola(NamedTuple):
    """y = least + bend (x - at)², with the standard error of `at`."""

    at: float
    least: float
    bend: float
    error: float


def fit_parabola(xs: list[float], ys: list[float], weights: list[float]) -> Parabola | None:
    """Return the weighted least-squares parabola that opens upward, or None where the points do not carry one."""
    s = [0.0] * 5
    m = [0.0] * 3
    for x, y, w in zip(xs, ys, weights, strict=True):
        term = w
        for k in range(5):
            s[k] += term
            if k < 3:
                m[k] += term * y
            term *= x
    det, inverse = _invert3(s)
    if det == 0.0:
        return None
    a, b, c = (sum(inverse[i][k] * m[k] for k in range(3)) for i in range(3))
    if c <= 0.0:
        return None
    at, least = -b / (2.0 * c), a - b * b / (4.0 * c)
    residual = sum(w * (y - a - b * x - c * x * x) ** 2 for x, y, w in zip(xs, ys, weights, strict=True)) / max(1, len(xs) - 3)
    # Error propagation of -b / 2c through the covariance of b and c.
    db, dc = -1.0 / (2.0 * c), b / (2.0 * c * c)
    variance = residual * (db * db * inverse[1][1] + 2.0 * db * dc * inverse[1][2] + dc * dc * inverse[2][2])
    return Parabola(at, least, c, math.sqrt(max(variance, 0.0)))


def _invert3(s: list[float]) -> tuple[float, list[list[float]]]:
    """Determinant and inverse of the symmetric matrix [[s0 s1 s2] [s1 s2 s3] [s2 s3 s4]]; (0, []) when it has none."""
    s0, s1, s2, s3, s4 = s
    c00, c01, c02 = s2 * s4 - s3 * s3, s2 * s3 - s1 * s4, s1 * s3 - s2 * s2
    det = s0 * c00 + s1 * c01 + s2 * c02
    if abs(det) <= 1e-12 * abs(s0 * s2 * s4):
        return 0.0, []
    c11, c12, c22 = s0 * s4 - s2 * s2, s1 * s2 - s0 * s3, s0 * s2 - s1 * s1
    return det, [[c00 / det, c01 / det, c02 / det], [c01 / det, c11 / det, c12 / det], [c02 / det, c12 / det, c22 / det]]
