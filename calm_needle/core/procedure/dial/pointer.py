"""How well a set's pointer comes back to a mark: read by three returns from either end of the scale, in millimetres along it.

What the set receives differs from return to return by the width of pointer and mark, by the backlash of the drive according to the side,
and by what the cord slips. Each is told from the others: backlash is what the two sides differ by, scatter what is left of those
differences, slip what pairs of returns differ by beyond that.
"""

import math
import statistics
from collections.abc import Sequence
from typing import Literal, NamedTuple

Side = Literal["lower end", "upper end"]
USUAL_MM = 0.15  # standard deviation of a return, unless it was measured
USUAL_COUNTS = 3  # for how many degrees of freedom that counts beside what was measured
RETURNS = 3  # from either end
SLIPS_BEYOND = 10.0  # times the variance of the scatter, that the pairs' means must differ by
MATTERS = 2.0  # times the scatter, from which on backlash is worth coming from one side
SIDES: tuple[Side, ...] = ("lower end", "upper end")
GROUP = "pointer"


class Return(NamedTuple):
    """One return to a mark: from which end, and where along the scale (mm) the set then received."""

    side: Side
    place_mm: float


class Pointer(NamedTuple):
    """Scatter of a return (standard deviation), backlash and slip (mm); from how many returns, 0 where nobody has measured it."""

    scatter_mm: float = USUAL_MM
    backlash_mm: float = 0.0
    slip_mm: float = 0.0
    returns: int = 0

    @property
    def one_sided(self) -> bool:
        """Whether marks are to be come to from one side only."""
        return self.backlash_mm > MATTERS * self.scatter_mm

    @property
    def sigma_mm(self) -> float:
        """How surely the shaft stands where the pointer shows (standard deviation, mm), come to as is asked."""
        backlash_mm = 0.0 if self.one_sided else self.backlash_mm / 2.0
        return math.sqrt(self.scatter_mm**2 + backlash_mm**2 + (self.slip_mm / 2.0) ** 2)

    def words(self) -> str:
        """Return what was found, for a page and for the record."""
        if not self.returns:
            return f"The pointer was not measured: it is taken to come back to {2.0 * self.scatter_mm:.1f}\u2009mm (95 %)."
        slips = f"its cord slips {self.slip_mm:.1f}\u2009mm" if self.slip_mm else "its cord does not slip"
        side = " Marks are come to from below." if self.one_sided else ""
        return (
            f"The pointer comes back to ±{2.0 * self.scatter_mm:.2f}\u2009mm (95 %), backlash {self.backlash_mm:.2f}\u2009mm, {slips}; "
            f"{self.returns} returns.{side}"
        )


UNMEASURED = Pointer()


def pointer_from(returns: Sequence[Return]) -> Pointer | None:
    """Return what returns from either end by turns say of a pointer; None before there are three pairs."""
    low, high = ([r.place_mm for r in returns if r.side == side] for side in SIDES)
    pairs = list(zip(low, high, strict=False))
    if len(pairs) < RETURNS:
        return None
    apart = [b - a for a, b in pairs]
    backlash_mm = statistics.fmean(apart)
    middles = [(a + b) / 2.0 for a, b in pairs]
    freedom = len(pairs) - 1
    squares = sum((d - backlash_mm) ** 2 for d in apart) / 2.0
    of_middles = 2.0 * statistics.variance(middles) * freedom
    usual = USUAL_COUNTS * USUAL_MM**2
    by_apart = (usual + squares) / (USUAL_COUNTS + freedom)
    if of_middles / freedom > SLIPS_BEYOND * by_apart:
        return Pointer(math.sqrt(by_apart), abs(backlash_mm), max(middles) - min(middles), 2 * len(pairs))
    scatter_mm = math.sqrt((usual + squares + of_middles) / (USUAL_COUNTS + 2 * freedom))
    return Pointer(scatter_mm, abs(backlash_mm), 0.0, 2 * len(pairs))
