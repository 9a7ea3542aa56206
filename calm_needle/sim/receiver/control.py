"""The gain control: the carrier at the detector draws back the gain of the stages before it, until both agree.

Beyond its threshold V_th the gain of all controlled stages together goes as (V / V_th)^-s, V being the carrier that stands there in the
end. Of a chain that is otherwise linear that comes to V = V_th (V0 / V_th)^(1 / (1 + s)), V0 being the carrier without gain control; a
stage that is driven to its end, or that curves, makes it otherwise, and the fixed point is then looked for.
"""

import math
from collections.abc import Callable

CLOSE = 1e-6  # of ln V
MOST_STEPS = 60


def controlled(carrier_v: float, *, threshold_v: float, slope: float) -> float:
    """Return the carrier (V) behind the gain control of a linear chain, from that without it."""
    if carrier_v <= threshold_v:
        return carrier_v
    return threshold_v * math.pow(carrier_v / threshold_v, 1.0 / (1.0 + slope))


def settled(carrier: Callable[[float], float], *, free_v: float, threshold_v: float, slope: float) -> float:
    """Return how far the gain control draws back: carrier over threshold, above 1.

    free_v: the carrier (V) at the detector without it, above the threshold; carrier: while it is drawn back so far, which must not grow
    with that.
    """
    low, high = 0.0, math.log(free_v / threshold_v)  # of ln of what is looked for
    at = high / (1.0 + slope)
    for _ in range(MOST_STEPS):
        off = math.log(max(carrier(math.exp(at)), 1e-300) / threshold_v) - at
        if abs(off) < CLOSE:
            break
        low, high = (at, high) if off > 0 else (low, at)
        # Newton's step where the chain were linear; where that leaves what is known, the middle.
        step = at + off / (1.0 + slope)
        at = step if low < step < high else (low + high) / 2.0
    return math.exp(at)
