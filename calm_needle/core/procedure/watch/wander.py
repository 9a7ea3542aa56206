"""The wander of a needle: its fast part from the stream itself, its slow part from what it does with hands off.

Hiss and the meter's averaging show within one block, whatever is turned meanwhile. Drift, a beat, fading and warming take seconds, and
look like a core that is turned; they can only be told from it while nobody turns: at the start of a step, and whenever the hand holds.
"""

import math
from bisect import insort
from collections import deque
from typing import Literal, NamedTuple

RESOLUTION_DB = 0.02  # dB, what a good meter still shows; no stream is taken to be quieter
READ_BY_EYE_DB = 0.05  # dB, 0.6 % of a scale, the least wander granted to typed readings
NOISE_WINDOW = 48  # differences that are kept, of blocks and of readings
Pace = Literal["steady", "slow", "typed"]  # how readings come: many a block; a block each or less; a person's, each for itself
FEWEST: dict[Pace, int] = {"steady": 8, "slow": 4, "typed": 1}  # third differences (of four readings) before anything is judged
QUARTILE = 0.3186  # of the size of a Gaussian value, in standard deviations
ENOUGH = 8  # differences from which their median is believed
MOST_BY_EYE_DB = 0.15  # dB: whoever reads a needle by eye reads its middle
HOLD_SETTLES_S = 0.5  # s at the start of a hold in which meter and hand come to rest
HELD_TURNS = 2e-4  # turns within which a tool that is not touched is told to stand
APART_S = 0.1  # s between two looks, at least
HOLD_S = 6.0  # s of one hold that are looked at together

LEAST_FALL_DB = 0.4  # dB: a smaller fall is no evidence however quiet the needle
FALL_UNTRIED_DB = 1.2  # dB, where nobody has seen the needle with hands off
FALL_TYPED_DB = 0.5
FALL_PER_FAST, FALL_PER_SLOW = 6.0, 1.6  # times the fast wander; times the span seen with hands off
SPAN_TO_SIGMA = 0.35  # standard deviation of a slow wander, of the span seen in three seconds
DRIFT_GOES_ON_S = 15.0  # s for which a drift seen with hands off may go on as fast
STEPS_LEFT = 1.0 / 3.0  # of the bar that a fall must still amount to without its two largest steps


class Block(NamedTuple):
    """A quarter of a second of readings, or one typed reading.

    level_db: their median, so that a reading which no neighbour shares counts for nothing. way: +1, -1 while the hand turns, 0 while
    it is known to hold, None where its way is not known. still: known not to have been turned.
    """

    time_s: float
    level_db: float
    turns: float | None
    way: int | None
    still: bool
    readings: int


class Wander:
    """The wander of one block, fast and slow, and what follows from it: how large a fall counts."""

    def __init__(self) -> None:
        self._readings: deque[float] = deque(maxlen=4)
        self._blocks: deque[Block] = deque(maxlen=4)
        self._of_readings = _RunningMedian(NOISE_WINDOW)
        self._of_blocks = _RunningMedian(NOISE_WINDOW)
        self._per_block = 1.0
        self._hold: list[Block] = []
        self._held_from_s = 0.0
        self.span_db: float | None = None  # the widest that the needle went by itself, None where no hold was seen
        self._rate_db_s = 0.0

    def add_reading(self, level_db: float) -> None:
        self._readings.append(level_db)
        if len(self._readings) == 4:
            self._of_readings.add(_third_difference(*self._readings))

    def add_block(self, block: Block, *, steep: bool = False) -> None:
        """Take a block in. steep: its differences tell of what is turned, not of wander."""
        self._per_block += 0.2 * (block.readings - self._per_block)
        self._watch_hold(block)
        if steep:
            self._blocks.clear()
            return
        self._blocks.append(block)
        if len(self._blocks) == 4:
            self._of_blocks.add(_third_difference(*(b.level_db for b in self._blocks)))

    def ready(self, pace: Pace) -> bool:
        return len(self._of_readings) >= FEWEST[pace]

    @property
    def drift_db_s(self) -> float:
        """How fast (dB/s) the needle moved by itself, as far as that is more than its span explains by chance."""
        return self._rate_db_s

    def fast_db(self, pace: Pace) -> float:
        """The standard deviation (dB) of one block by its fast wander, rather a little too large than too small.

        Third differences leave a smooth rise, fall or crest almost untouched, and are sqrt(20) times as large as the noise. Readings
        of an averaging meter depend on each other, so the gain of a block over one reading is believed only as the blocks show it.
        """
        if pace != "steady":
            # Readings that are few and far apart: the crest itself bends through them, so only the least of what they show is noise.
            least = self._of_readings.least() / math.sqrt(20.0)
            if pace == "typed":  # a person reads the middle of what the needle does
                return min(MOST_BY_EYE_DB, max(READ_BY_EYE_DB, least))
            return max(RESOLUTION_DB, 1.2 * least / QUARTILE)
        # 1.4826: median of |x| to standard deviation, for Gaussian x.
        single = 1.4826 * self._of_readings.median() / math.sqrt(20.0)
        if len(self._of_blocks) >= ENOUGH:
            own = 1.4826 * self._of_blocks.median() / math.sqrt(20.0)
        else:
            # A median of few may be far too small by luck.
            own = single * (1.0 + 3.0 / max(1, len(self._of_readings)))
        return max(RESOLUTION_DB, 1.2 * max(own, single / math.sqrt(self._per_block)))

    def bar_db(self, pace: Pace) -> float:
        """The fall (dB) that is more than wander."""
        fast = FALL_PER_FAST * self.fast_db(pace)
        if pace == "typed":
            return max(FALL_TYPED_DB, fast)
        if self.span_db is None:
            return max(FALL_UNTRIED_DB, fast)
        return max(LEAST_FALL_DB, fast, FALL_PER_SLOW * self.span_db)

    def drifted_db(self, span_s: float) -> float:
        """What a drift seen with hands off may have come to in so many seconds (dB)."""
        return self._rate_db_s * min(span_s, DRIFT_GOES_ON_S)

    def _watch_hold(self, block: Block) -> None:
        if not (block.still or (block.turns is None and block.way == 0)):
            self._hold = []
            return
        if self._hold and self._moved_by_a_hair(block):
            self._hold = []
        if self._hold and block.time_s - self._hold[-1].time_s < APART_S:
            return  # answers that came in a bunch are one look at the needle
        if not self._hold:
            # The first hold of a step begins at rest; a later one follows a turn, and what is left of that dies away first.
            self._held_from_s = block.time_s + (HOLD_SETTLES_S if self.span_db is not None else 0.0)
        self._hold.append(block)
        held = [b for b in self._hold if b.time_s >= max(self._held_from_s, block.time_s - HOLD_S)]
        if len(held) < 4:
            return
        levels = [b.level_db for b in held]
        span = max(levels) - min(levels)
        seen_s = held[-1].time_s - held[0].time_s
        if self.span_db is None or span >= self.span_db:
            self.span_db = span
            self._rate_db_s = _rate(held)
        elif seen_s >= 2.0:
            # A quiet hold later on takes an earlier drift back slowly: warming ends.
            self._rate_db_s = min(self._rate_db_s, max(_rate(held), 0.98 * self._rate_db_s))

    def _moved_by_a_hair(self, block: Block) -> bool:
        """Whether the tool moved since this hold began, little as it was: what the needle did meanwhile was not all its own."""
        began = self._hold[0].turns
        return began is not None and block.turns is not None and abs(block.turns - began) > HELD_TURNS


def _rate(blocks: list[Block]) -> float:
    """The slope (dB/s, unsigned) of a line through blocks."""
    n = len(blocks)
    t0, v0 = sum(b.time_s for b in blocks) / n, sum(b.level_db for b in blocks) / n
    spread = sum((b.time_s - t0) ** 2 for b in blocks)
    return abs(sum((b.time_s - t0) * (b.level_db - v0) for b in blocks)) / spread if spread else 0.0


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

    def least(self) -> float:
        """The lower quartile."""
        return self._sorted[len(self._sorted) // 4] if self._sorted else 0.0

    def median(self) -> float:
        n = len(self._sorted)
        if n == 0:
            return 0.0
        return (self._sorted[(n - 1) // 2] + self._sorted[n // 2]) / 2.0
