"""The wander of a needle, from the stream of readings itself."""

import math
from bisect import insort
from collections import deque
from typing import NamedTuple

RESOLUTION_DB = 0.02  # dB, what a good meter still shows; no stream is taken to be quieter
READ_BY_EYE_DB = 0.05  # dB, 0.6 % of a scale, the least wander granted to typed readings
WANDERING_DB = 0.5  # dB of wander per block beyond which nothing can be judged
NOISE_WINDOW = 48  # differences that are kept, of blocks and of readings
FEWEST_TYPED = 3  # third differences (six readings) before typed readings are judged
FEWEST_FOR_MEDIAN = 5  # typed differences of which a kink spoils two, and their median is still sound
ENOUGH = 8  # differences from which their median is believed


class Block(NamedTuple):
    """A quarter of a second of readings: mean time (s), mean level (dB), mean turns or None, whether nothing was turned, how many."""

    time_s: float
    level_db: float
    turns: float | None
    still: bool
    readings: int


class Wander:
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
