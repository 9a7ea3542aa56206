"""Which way helps, of an adjuster whose turns nobody counts: from how the value moves, against its own scatter, whatever it is off by.

What a reading does by itself is told from what a hand does by the standard deviation of a straight line through the newest readings.
Which way the value went when it was last turned is kept: that way is wrong as long as it leads away from what is wanted.
"""

import math
import statistics
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.procedure.series import Seen

LOOKED_AT_S, LOOKED_AT_MOST = (0.3, 0.7), 40  # s over which a line is laid, the shorter if that is sure; through how many at most
FEWEST, FEWEST_SEEN = 4, 6  # readings of a line; of all that were seen, for their scatter
SURE = 6.0  # standard deviations of its slope, from which on it is turned: it is looked at many times, and must not seem so once
SCATTER_OF = 60  # newest readings that tell the scatter
SECOND_DIFFERENCE = math.sqrt(6.0)  # times the scatter is that of a reading less twice the one before it and once that before
FEW_BENDS = 20  # second differences, below which the largest speaks for all
HALF_WITHIN = 0.6745  # standard deviations that half of all lie within
LEAST_SHARE = 2e-8  # of the value: finer no counter resolves in a tenth of a second


class Motion(NamedTuple):
    """How fast a value moves (its unit a second), 0 where it is at rest as far as can be told; and how it moved when last it did."""

    per_s: float
    last_per_s: float

    def leads_away(self, off: float) -> bool:
        """Return whether the way that it was last turned leads away from what is wanted. off: how much is wanted more than there is."""
        return self.last_per_s * off < 0.0


def motion_of(seen: Sequence[Seen], before: Motion | None = None) -> Motion:
    """Return how a value moves by its newest readings. before: as it was a reading ago."""
    scatter = scatter_of(seen) if len(seen) >= FEWEST_SEEN else math.inf
    per_s = next((v for v in (_sure_slope(seen, over_s, scatter) for over_s in LOOKED_AT_S) if v), 0.0)
    return Motion(per_s, per_s or (before.last_per_s if before else 0.0))


def _sure_slope(seen: Sequence[Seen], over_s: float, scatter: float) -> float:
    """The slope of a straight line (unit a second) through the newest readings; 0 where it may be none."""
    newest = [r for r in seen[-LOOKED_AT_MOST:] if seen[-1].t_s - r.t_s <= over_s]
    if len(newest) < FEWEST:
        newest = list(seen[-FEWEST:])
    if len(newest) < FEWEST or newest[-1].t_s <= newest[0].t_s:
        return 0.0
    mean_t, mean = statistics.fmean(r.t_s for r in newest), statistics.fmean(r.value for r in newest)
    spread = sum((r.t_s - mean_t) ** 2 for r in newest)
    per_s = sum((r.t_s - mean_t) * (r.value - mean) for r in newest) / spread
    return per_s if abs(per_s) > SURE * scatter / math.sqrt(spread) else 0.0


def scatter_of(seen: Sequence[Seen]) -> float:
    """Return the standard deviation of a reading by itself: by second differences, which a steady turning leaves alone."""
    values = [r.value for r in seen[-SCATTER_OF:]]
    bends = sorted(abs(a - 2.0 * b + c) for a, b, c in zip(values, values[1:], values[2:], strict=False))
    least = LEAST_SHARE * abs(values[-1])
    if len(bends) < FEW_BENDS:
        return max((least, *(bend / SECOND_DIFFERENCE for bend in bends)))
    return max(least, bends[len(bends) // 2] / HALF_WITHIN / SECOND_DIFFERENCE)
