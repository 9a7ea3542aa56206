"""The level that a generator needs for a wanted output: what to try next, from what was tried.

Below the gain control output goes with level; beyond it far more slowly. So a step goes along the slope of the last two readings, in
logarithms, until the wanted output lies between two of them, and from there on between those.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

CLOSE_ENOUGH = 0.02  # of the wanted volts: a fifth of a decibel
MOST_TRIES = 14
LEAST_SLOPE, MOST_SLOPE = 0.1, 2.0
LONGEST_STEP = 300.0  # times
STANDARD_OUTPUT_W = 0.05  # IEC 60315-3
ALIVE_DB = 6.0  # that the tone adds to what is there without it


class Tried(NamedTuple):
    """A level (V) at the generator, and the output (V) that it gave."""

    level_v: float
    output_v: float


def standard_output_v(load_ohm: float) -> float:
    """Return the volts r.m.s. of the standard output of 50 mW across a load.

    >>> round(standard_output_v(3.0), 3)
    0.387
    """
    return math.sqrt(STANDARD_OUTPUT_W * load_ohm)


def found(tried: Sequence[Tried], *, wanted_v: float) -> float | None:
    """Return the level (V) that gave the wanted output; None while none has."""
    return next((t.level_v for t in tried if abs(t.output_v / wanted_v - 1.0) <= CLOSE_ENOUGH), None)


def next_level(tried: Sequence[Tried], *, wanted_v: float, least_v: float, most_v: float, first_v: float = 1e-3) -> float | None:
    """Return the level (V) to try next; None when one was found, or nothing between least_v and most_v will give it."""
    if not tried:
        return min(max(first_v, least_v), most_v)
    if found(tried, wanted_v=wanted_v) is not None or len(tried) >= MOST_TRIES:
        return None
    below = max((t for t in tried if t.output_v < wanted_v), default=None)
    above = min((t for t in tried if t.output_v > wanted_v), default=None)
    if below and above and below.level_v < above.level_v:
        # Where the gain control sets in, the line through both is bent: every other step halves what is left between them.
        part = 0.5 if len(tried) % 2 else math.log(wanted_v / _seen(below)) / math.log(_seen(above) / _seen(below))
        level = below.level_v * (above.level_v / below.level_v) ** min(max(part, 0.05), 0.95)
    else:
        near = min(tried, key=lambda t: abs(math.log(_seen(t) / wanted_v)))
        times = (wanted_v / _seen(near)) ** (1.0 / _slope(tried))
        level = near.level_v * min(max(times, 1.0 / LONGEST_STEP), LONGEST_STEP)
    level = min(max(level, least_v), most_v)
    return None if any(math.isclose(level, t.level_v, rel_tol=1e-3) for t in tried) else level


def _seen(t: Tried) -> float:
    return max(t.output_v, 1e-9)


def _slope(tried: Sequence[Tried]) -> float:
    """How output goes with level, in logarithms, by the last two readings; 1 with one reading only."""
    if len(tried) < 2:
        return 1.0
    one, other = tried[-2:]
    return min(max(math.log(_seen(other) / _seen(one)) / math.log(other.level_v / one.level_v), LEAST_SLOPE), MOST_SLOPE)


def is_alive(*, with_tone_v: float, without_v: float) -> bool:
    """Return whether a tone was heard: it adds ALIVE_DB or more to the output without modulation."""
    return with_tone_v > 0 and (without_v <= 0 or 20.0 * math.log10(with_tone_v / without_v) >= ALIVE_DB)
