"""Is this the peak? Judged from readings as they come, with or without the turns of the adjuster.

Readings are gathered into *blocks* of a quarter of a second (or one reading each, when they are typed), and every
judgement is made between block means. The wander of a block is taken from the stream itself: from blocks during
which the adjuster stood still, where turns are known, otherwise from third differences, which a smooth rise, fall or
crest leaves almost untouched:

      level     ..··''''··..            first difference: the slope
              .·            ·.          second: the bend of the crest
                                        third: next to nothing but noise, sqrt(20) times as large as in one block

A crest counts as seen only when the level has fallen by the *bar* on both sides of it. The bar is
    sqrt(2) * sigma * sqrt(2 ln(n^2 / ALPHA)),
the drop between any two of n blocks that noise alone reaches with a chance of about ALPHA (union bound over the pairs,
Gaussian tails). Without turns, "both sides" means before and after: a high turning point between
two low ones. With turns it means to the left and to the right, whatever the order, and the crest's own place is fitted:
one core enters the transfer of its circuits as 1/|c0 + c1 j a|, so 1/V^2 is exactly a parabola in turns.
"""

import math
from bisect import insort
from collections import deque
from dataclasses import dataclass
from typing import Literal, NamedTuple

Goal = Literal["maximum", "minimum"]
Kind = Literal["waiting", "rising", "falling", "further", "steady", "past", "hold", "crest", "flat", "end_stop", "two_humps", "wandering"]

BLOCK_S = 0.25  # s, longer than the averaging of any meter fit for peaking
ALPHA = 1e-4  # chance per stream of taking wander for a fall
RESOLUTION_DB = 0.02  # dB, what a good meter still shows; no stream is taken to be quieter
READ_BY_EYE_DB = 0.05  # dB, 0.6 % of a scale, the least wander granted to typed readings
NOISE_WINDOW = 48  # differences that are kept, of blocks and of readings
FEWEST_TYPED = 3  # third differences (six readings) before typed readings are judged
FEWEST_FOR_MEDIAN = 5  # typed differences of which a kink spoils two, and their median is still sound
ENOUGH = 8  # differences from which their median is believed
TURN_BIN = 0.02  # turns that count as the same place
JUMP_TURNS = 0.04  # turns between two readings that end a block: a key was pressed
STILL_TURNS = 0.002  # turns below which the adjuster has not moved
FLAT_TURNS = 0.5  # turns after which a core that does nothing is said to do nothing
FLAT_DB = 0.6  # dB, the most that a needle may have moved that is said not to answer
FLAT_BLOCKS = 48  # blocks after which the same is said without turns: twelve seconds
RIVAL_DB = 8.0  # dB under the highest crest within which another one is a hump
FIT_DEPTH_DB = 6.0  # dB under the crest that still take part in the fit
PATIENCE_FIRST, PATIENCE_GROWS, PATIENCE_MOST = 0.0, 0.02, 2.0  # in wanders below the crest, per typed reading since it was proven
NULL_SHARE = 0.08  # of a null's depth that counts as being at its bottom
AT_CREST_DB = 0.005  # dB below the fitted crest that count as being on it
WANDERING_DB = 0.5  # dB of wander per block beyond which nothing can be judged


class Block(NamedTuple):
    """A quarter of a second of readings: mean time (s), mean level (dB), mean turns or None, whether nothing was turned, how many."""

    time_s: float
    level_db: float
    turns: float | None
    still: bool
    readings: int


class CrestFit(NamedTuple):
    """The fitted crest: its place (turns), its level (dB), turns from it to a loss of 3 dB, standard error of the place (turns)."""

    turns: float
    level_db: float
    half_width_turns: float
    error_turns: float


@dataclass(frozen=True)
class Verdict:
    """What the watch says, with its evidence. `hold`: at the crest as far as can be said before the needle has come to rest.
    Levels in dB, `None` where nothing is known yet.

       fall_before_db, fall_after_db: how far it fell on the two sides of the crest (left and right when turns are known).
       wander_db: standard deviation of a block. bar_db: the fall that counts. confidence: that the fall is not wander.
       turns_to_crest: signed, in the adjuster's own sense. gain_left_db: from here to the crest.
    """

    kind: Kind
    level_db: float | None = None
    crest_db: float | None = None
    crest_time_s: float | None = None
    fall_before_db: float = 0.0
    fall_after_db: float = 0.0
    wander_db: float = 0.0
    bar_db: float = 0.0
    confidence: float = 0.0
    turns_to_crest: float | None = None
    turns_error: float | None = None
    gain_left_db: float | None = None

    @property
    def peak_seen(self) -> bool:
        """Whether a fall on both sides has been seen; `past`, `hold`, `crest` and `two_humps` never come without it."""
        return self.kind in ("past", "hold", "crest", "two_humps")

    @property
    def times_wander(self) -> float:
        """How many times the wander the smaller of the two falls is."""
        return min(self.fall_before_db, self.fall_after_db) / self.wander_db if self.wander_db else 0.0


class PeakWatch:
    """Watches one adjuster. Feed it with add(), ask it with verdict(); same readings, same verdicts."""

    def __init__(self, *, goal: Goal = "maximum") -> None:
        self._sign = 1.0 if goal == "maximum" else -1.0
        self._open: list[tuple[float, float, float | None]] = []
        self._last_time_s: float | None = None
        self._spacing_s = 0.0
        self._alone = False
        self._at_stop = False
        self._places: deque[tuple[float, float]] = deque(maxlen=12)
        self._turns_now = 0.0
        self._blocks = 0
        self._recent: deque[Block] = deque(maxlen=8)
        self._noise = _Noise()
        self._pivots = _Pivots()
        self._profile = _Profile()
        self._proven: tuple[float, float] | None = None  # wander and bar when a fall on both sides was first seen
        self._proven_at = 0
        self._verdict: Verdict | None = None

    def add(
        self, *, level_db: float, time_s: float, turns: float | None = None, at_stop: bool = False, lag_s: float = 0.0, alone: bool = False
    ) -> None:
        """Take one reading: level (dB, any reference, but always the same one), time (s, not falling), turns if known.

        lag_s: how far the meter is behind the set, by its averaging; the level is put down to where the adjuster stood then.
        alone: read and typed by a person, so it stands for itself however quickly the next one follows.
        """
        level, self._alone = self._sign * level_db, alone
        if turns is not None:
            self._places.append((time_s, turns))
            self._turns_now = turns
            turns = next((t for at, t in reversed(self._places) if at <= time_s - lag_s), self._places[0][1])
        if self._last_time_s is not None:
            gap = time_s - self._last_time_s
            self._spacing_s = gap if self._spacing_s == 0.0 else 0.7 * self._spacing_s + 0.3 * gap
            if self._open and (alone or time_s - self._open[0][0] >= BLOCK_S - 1e-9):
                self._close()
            elif self._open and turns is not None and abs(turns - (self._open[-1][2] or 0.0)) > JUMP_TURNS:
                self._close()  # a mean over two places is true of neither
        self._noise.add_reading(level)
        self._open.append((time_s, level, turns))
        if self._sparse or at_stop != self._at_stop:
            self._verdict = None
        self._last_time_s, self._at_stop = time_s, at_stop

    def verdict(self) -> Verdict:
        """Return the judgement on everything added so far."""
        if self._verdict is None:
            self._verdict = self._judge()
        return self._verdict

    def crest_fit(self) -> CrestFit | None:
        """Return the fitted crest where turns are known and a fall on both sides was seen, else None."""
        return self._profile.fit()

    @property
    def _sparse(self) -> bool:
        return self._alone or self._spacing_s > BLOCK_S

    def _close(self) -> None:
        readings = self._open
        self._open = []
        n = len(readings)
        known = [t for _, _, t in readings if t is not None]
        turns = sum(known) / n if len(known) == n else None
        before = self._recent[-1].turns if self._recent else None
        still = (
            turns is not None and max(known) - min(known) <= STILL_TURNS and before is not None and abs(known[0] - before) <= STILL_TURNS
        )
        block = Block(sum(t for t, _, _ in readings) / n, sum(v for _, v, _ in readings) / n, turns, still, n)
        self._blocks += 1
        self._recent.append(block)
        self._noise.add_block(block, n)
        self._verdict = None
        bar = self._bar()
        self._pivots.add(block, bar)
        if turns is not None:
            self._profile.add(block)

    def _bar(self) -> float:
        """The fall (dB) that is more than wander."""
        sigma = self._noise.sigma_db(self._sparse)
        return max(0.1, math.sqrt(2.0) * sigma * math.sqrt(2.0 * math.log(max(self._blocks, 4) ** 2 / ALPHA)))

    def _judge(self) -> Verdict:
        if self._open and (self._sparse or len(self._open) >= 5):
            self._close()
        if self._blocks < 3 or not self._noise.ready(self._sparse):
            return Verdict("waiting", level_db=self._sign * self._recent[-1].level_db if self._recent else None)
        sigma, bar, now = self._noise.sigma_db(self._sparse), self._bar(), self._recent[-1]
        with_turns = now.turns is not None and self._profile.span_turns > 0
        seen = self._profile.crest() if with_turns else self._pivots.crest(bar)
        base = Verdict(
            "steady",
            level_db=self._sign * now.level_db,
            crest_db=self._sign * seen.level_db,
            crest_time_s=seen.time_s,
            fall_before_db=seen.fall_before_db,
            fall_after_db=seen.fall_after_db,
            wander_db=sigma,
            bar_db=bar,
        )
        if min(seen.fall_before_db, seen.fall_after_db) >= bar and (self._proven is None or bar < self._proven[1]):
            self._proven_at = self._proven_at or self._blocks
            self._proven = (sigma, bar)
        if self._proven is not None:
            # What was proven stays proven, though turning back afterwards may look like wander.
            sigma, bar = self._proven
            seen = self._profile.crest() if with_turns else self._pivots.crest(bar)
            if min(seen.fall_before_db, seen.fall_after_db) >= bar:
                base = _with(
                    base,
                    crest_db=self._sign * seen.level_db,
                    crest_time_s=seen.time_s,
                    fall_before_db=seen.fall_before_db,
                    fall_after_db=seen.fall_after_db,
                    wander_db=sigma,
                    bar_db=bar,
                )
                return self._judge_passed(base, now, sigma, bar)
        if sigma > WANDERING_DB:
            return _with(base, kind="wandering")
        return self._judge_under_way(base, now, sigma, bar, with_turns)

    def _judge_passed(self, base: Verdict, now: Block, sigma: float, bar: float) -> Verdict:
        below = self._sign * (base.crest_db or 0.0) - now.level_db
        base = _with(
            base, confidence=_confidence(min(base.fall_before_db, base.fall_after_db), sigma, self._blocks), gain_left_db=max(0.0, below)
        )
        if now.turns is None:
            if below < -bar / 2.0:  # on the way to something higher than the crest that was seen
                return _with(base, kind="rising", crest_db=self._sign * now.level_db)
            # A null is steep: near its bottom a hair of a turn is decibels, and what counts is its depth.
            close = NULL_SHARE * min(base.fall_before_db, base.fall_after_db) if self._sign < 0 else 0.0
            if self._sparse or below <= close:
                # Typed readings are few and cost a touch each. At first the very top is asked for, then less and less: who always
                # comes back from the same side and stops a little short leaves every circuit off to that side.
                patience = min(PATIENCE_MOST, PATIENCE_FIRST + PATIENCE_GROWS * (self._blocks - self._proven_at))
                return _with(base, kind="crest" if below <= max(close, min(0.15, patience * sigma)) else "past")
            # The crest is the highest of many blocks and so about one sigma too high; a second's mean is compared with it.
            second = [b.level_db for b in self._recent][-4:]
            mean_below = self._sign * (base.crest_db or 0.0) - sum(second) / len(second)
            return _with(base, kind="crest" if mean_below <= max(0.05, 1.8 * sigma) else "past")
        fit = self._profile.fit()
        if self._profile.humps(bar) >= 2 and below > max(0.1, 2.0 * sigma):
            return _with(base, kind="two_humps", turns_to_crest=self._profile.crest().turns - self._turns_now)
        if fit is None:
            return _with(
                base, kind="crest" if below <= max(0.03, 1.5 * sigma) else "past", turns_to_crest=self._profile.crest().turns - now.turns
            )
        off = fit.turns - self._turns_now
        left = 10.0 * math.log10(1.0 + (off / fit.half_width_turns) ** 2)
        near = left <= AT_CREST_DB or abs(off) <= min(fit.error_turns, 0.04 * fit.half_width_turns)
        rested = now.still and abs(now.turns - self._turns_now) <= STILL_TURNS
        return _with(
            base,
            kind="past" if not near else "crest" if rested else "hold",
            turns_to_crest=off,
            turns_error=fit.error_turns,
            gain_left_db=left,
            crest_db=self._sign * max(fit.level_db, self._sign * (base.crest_db or 0.0) - bar),
        )

    def _judge_under_way(self, base: Verdict, now: Block, sigma: float, bar: float, with_turns: bool) -> Verdict:
        change = self._change()
        if self._at_stop and with_turns and now.level_db >= self._profile.crest().level_db - max(0.1, 2.0 * sigma):
            return _with(base, kind="end_stop")
        fallen = self._sign * (base.crest_db or 0.0) - now.level_db
        if abs(change) > max(0.06, 3.0 * sigma):
            if change > 0:
                return _with(base, kind="rising")
            # One side of a crest counts once it has fallen by the bar; until then this way is still wanted.
            return _with(base, kind="falling" if fallen >= bar else "further", turns_to_crest=self._to_best(now))
        spread = self._profile.spread_db if with_turns else self._pivots.spread_db
        wide = self._profile.span_turns >= FLAT_TURNS if with_turns else self._blocks >= (8 if self._sparse else FLAT_BLOCKS)
        # However unsure the bar, a needle that moved by more than FLAT_DB has moved.
        if wide and spread < max(FLAT_DB / 2.0, min(bar, FLAT_DB)):
            return _with(base, kind="end_stop" if self._at_stop and with_turns and spread > bar / 2.0 else "flat")
        if fallen >= bar:  # too slowly for the last second to show it
            return _with(base, kind="falling", turns_to_crest=self._to_best(now))
        return base

    def _to_best(self, now: Block) -> float | None:
        """How far (turns) the best place seen so far is away, where turns are known."""
        return None if now.turns is None else self._profile.crest().turns - self._turns_now

    def _change(self) -> float:
        """How the level changed over the last second or so (dB): the mean of the last two blocks less that of the two or three before."""
        levels = [b.level_db for b in self._recent]
        if self._sparse:
            return levels[-1] - levels[-2]
        late, early = levels[-2:], levels[-6:-2] or levels[:1]
        return sum(late) / len(late) - sum(early) / len(early)


class _Seen(NamedTuple):
    """A crest with what was seen on its two sides (levels in the sense of the goal)."""

    level_db: float
    time_s: float
    turns: float
    fall_before_db: float
    fall_after_db: float


class _Noise:
    """The wander of one block, from the stream itself."""

    def __init__(self) -> None:
        self._readings: deque[float] = deque(maxlen=4)
        self._blocks: deque[Block] = deque(maxlen=4)
        self._of_readings = _RunningMedian(NOISE_WINDOW)
        self._of_blocks = _RunningMedian(NOISE_WINDOW)
        self._of_still = _RunningMedian(NOISE_WINDOW)
        self._per_block = 1.0

    def add_reading(self, level_db: float) -> None:
        self._readings.append(level_db)
        if len(self._readings) == 4:
            self._of_readings.add(_third_difference(*self._readings))

    def add_block(self, block: Block, readings: int) -> None:
        self._per_block += 0.2 * (readings - self._per_block)
        self._blocks.append(block)
        if block.still and len(self._blocks) > 1:
            self._of_still.add(abs(block.level_db - self._blocks[-2].level_db))
        if len(self._blocks) == 4:
            self._of_blocks.add(_third_difference(*(b.level_db for b in self._blocks)))

    def ready(self, sparse: bool) -> bool:
        return len(self._of_readings) >= (FEWEST_TYPED if sparse else ENOUGH)

    def sigma_db(self, sparse: bool) -> float:
        """The standard deviation (dB) of one block, rather a little too large than too small.

        Readings of an averaging meter depend on each other, so the gain of a block's mean over one reading is
        believed only when the blocks themselves show it.
        """
        if sparse:
            # Few readings: the root mean square wastes nothing, and is raised as Student's t would raise it.
            k = len(self._of_readings)
            if k == 0:
                return WANDERING_DB
            few: float = self._of_readings.rms() * (1.0 + math.pow(6.0 / k, 1.5))
            # Turning back leaves a kink in the differences, which a median forgives once there are enough of them.
            many = 1.4826 * self._of_readings.median() * (1.0 + math.pow(10.0 / k, 1.5)) if k >= FEWEST_FOR_MEDIAN else few
            return max(READ_BY_EYE_DB, 1.2 * min(few, many) / math.sqrt(20.0))
        # 1.4826: median of |x| to standard deviation, for Gaussian x.
        single = 1.4826 * self._of_readings.median() / math.sqrt(20.0)
        if len(self._of_still) >= ENOUGH:
            own = 1.4826 * self._of_still.median() / math.sqrt(2.0)
        elif len(self._of_blocks) >= ENOUGH:
            own = 1.4826 * self._of_blocks.median() / math.sqrt(20.0)
        else:
            # A median of few may be far too small by luck.
            own = single * (1.0 + 3.0 / max(1, len(self._of_readings)))
        return max(RESOLUTION_DB, 1.2 * max(own, single / math.sqrt(self._per_block)))


def _third_difference(a: float, b: float, c: float, d: float) -> float:
    return abs(d - 3.0 * c + 3.0 * b - a)


class _RunningMedian:
    """The median of the last n values."""

    def __init__(self, size: int) -> None:
        self._order: deque[float] = deque()
        self._sorted: list[float] = []
        self._size = size

    def __len__(self) -> int:
        return len(self._order)

    def add(self, value: float) -> None:
        if len(self._order) == self._size:
            self._sorted.remove(self._order.popleft())
        self._order.append(value)
        insort(self._sorted, value)

    def rms(self) -> float:
        return math.sqrt(sum(x * x for x in self._order) / len(self._order))

    def median(self) -> float:
        n = len(self._sorted)
        if n == 0:
            return 0.0
        return (self._sorted[(n - 1) // 2] + self._sorted[n // 2]) / 2.0


class _Pivots:
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

    def crest(self, bar: float) -> _Seen:
        """The highest crest with a fall on both sides, or the highest point so far with what is known of its sides."""
        full = [c for c in self._crests if min(c[0].level_db - c[1], c[0].level_db - c[2]) >= bar]
        if full:
            block, before, after = max(full, key=lambda c: c[0].level_db)
            return _Seen(block.level_db, block.time_s, 0.0, block.level_db - before, block.level_db - after)
        assert self._extreme is not None
        if self._crests:
            block, before, after = max(self._crests, key=lambda c: c[0].level_db)
            return _Seen(block.level_db, block.time_s, 0.0, max(0.0, block.level_db - before), block.level_db - after)
        rise = self._extreme.level_db - self._low_db if math.isfinite(self._low_db) else 0.0
        return _Seen(self._extreme.level_db, self._extreme.time_s, 0.0, rise, 0.0)


class _Place(NamedTuple):
    """What was read with the adjuster at one place."""

    turns: float
    level_db: float
    time_s: float
    weight: int


class _Profile:
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

    def crest(self) -> _Seen:
        """The highest place, with how far it falls on the left and on the right."""
        top = max(self._bins.values(), key=lambda p: p.level_db)
        left = min((p.level_db for p in self._bins.values() if p.turns < top.turns), default=top.level_db)
        right = min((p.level_db for p in self._bins.values() if p.turns > top.turns), default=top.level_db)
        return _Seen(top.level_db, top.time_s, top.turns, top.level_db - left, top.level_db - right)

    def humps(self, bar: float) -> int:
        """The number of crests that stand out of the profile by the bar on both sides, and rival the highest.

        A ripple far down the flank, or on the plain beside a deep null, is no hump.
        """
        least = max(p.level_db for p in self._bins.values()) - RIVAL_DB
        pivots = _Pivots()
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


def _confidence(fall_db: float, sigma: float, blocks: int) -> float:
    """Chance that a fall seen among so many blocks is not wander, by the bound that also sets the bar."""
    return max(0.0, 1.0 - blocks * 0.5 * math.erfc(fall_db / (2.0 * sigma)))


def _with(verdict: Verdict, **changes: object) -> Verdict:
    return Verdict(**{**verdict.__dict__, **changes})
