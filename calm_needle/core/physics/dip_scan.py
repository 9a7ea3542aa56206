"""Where to look for a dip: the frequencies of a scan, first from afar, then closer about the lowest reading."""

import math
from collections.abc import Sequence

from calm_needle.core.pictures import Curves, Line, Mark

FIRST_LOOK = 0.25  # of the frequency where it should be, down; and as far up in ratio
FIRST_POINTS = 61
CLOSER_POINTS = 21
CLOSER_STEPS = 2.0  # of the first look's, on each side of its lowest reading


def first_look(centre_hz: float) -> list[float]:
    """Return FIRST_POINTS frequencies (Hz), rising in equal ratios, from a quarter under the centre to as far above it.

    >>> [round(f) for f in first_look(400e3)[::30]]
    [300000, 400000, 533333]
    """
    return _between(centre_hz * (1.0 - FIRST_LOOK), centre_hz / (1.0 - FIRST_LOOK), FIRST_POINTS)


def closer_look(lowest_hz: float, *, seen: Sequence[float]) -> list[float]:
    """Return up to CLOSER_POINTS frequencies (Hz) about the one of the lowest reading, none of which was seen before."""
    step = (1.0 - FIRST_LOOK) ** (2.0 * CLOSER_STEPS / (FIRST_POINTS - 1))
    return [f for f in _between(lowest_hz * step, lowest_hz / step, CLOSER_POINTS) if min(abs(f / s - 1.0) for s in seen) > 1e-6]


def picture(*, f_hz: Sequence[float], v: Sequence[float], f0_hz: float) -> Curves:
    """Return the picture of a scan: N readings (V) over N frequencies (Hz), in decibels below the median, the dip marked."""
    top = sorted(v)[len(v) // 2]
    points = sorted((f, 20.0 * math.log10(volts / top)) for f, volts in zip(f_hz, v, strict=True))
    return Curves("The scan", "Hz", "dB", [Line("meter", points, dots=True)], [Mark(f0_hz, "dip")])


def _between(low_hz: float, high_hz: float, points: int) -> list[float]:
    return [low_hz * (high_hz / low_hz) ** (i / (points - 1)) for i in range(points)]
