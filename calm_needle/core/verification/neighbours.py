"""Whether one band of a set needs far more than its others do, beyond what the service data expects of each (J8)."""

import math
import statistics
from collections.abc import Sequence
from typing import NamedTuple

NEIGHBOUR_DB = 10.0  # more than its neighbours, what the service data expects taken off: a band that stands out


class Needs(NamedTuple):
    """The level (V) that a band needs, and the most that the service data allows it; None where they say nothing."""

    level_v: float
    most_v: float | None


def stands_out_db(one: Needs, others: Sequence[Needs]) -> float | None:
    """Return by how much (dB) a band needs more than the others, each held against its own service data; None where it does not stand out.

    Bands are compared where the service data speaks of all or of none of them. One inside its service data has no fault of its own.
    """
    if one.most_v is not None and one.level_v <= one.most_v:
        return None
    alike = [o for o in others if (o.most_v is None) == (one.most_v is None)]
    if not alike:
        return None
    more = _beyond_db(one) - statistics.median(_beyond_db(o) for o in alike)
    return more if more >= NEIGHBOUR_DB else None


def _beyond_db(needs: Needs) -> float:
    return 20.0 * math.log10(needs.level_v / (needs.most_v or 1.0))
