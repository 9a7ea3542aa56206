"""Parts: tolerance, small capacitances, gang sections, ratings, a fixed part made adjustable, stock values."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.physics.resonance import resonant_frequency_hz
from calm_needle.errors import OutOfRange

# IEC 60063, E24
E24 = (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1)

ROUNDING_PERCENT = 1e-9  # what lies exactly at a limit is on it, however it was divided


class Tolerance(NamedTuple):
    """Deviation (%), whether it is within, and the verdict where the meter's own error enters."""

    deviation_percent: float
    within: bool
    verdict: str


class SmallCapacitance(NamedTuple):
    """What is left after the leads (F), how sure that is (F), and whether it means anything."""

    net_f: float
    unsure_f: float
    verdict: str


class GangMatch(NamedTuple):
    """The largest differences between two sections: F, per cent of the first, and Hz of the tuned circuit; all without sign."""

    worst_f: float
    worst_percent: float
    worst_hz: float


class Margin(NamedTuple):
    """What is left to the rating (%), and in words."""

    margin_percent: float
    verdict: str


class TrimmerRange(NamedTuple):
    """The circuit with the fixed part, and with the trimmer at both ends (Hz); pull each way (Hz); whether the old value is inside."""

    f_fixed_hz: float
    f_high_hz: float
    f_low_hz: float
    pull_up_hz: float
    pull_down_hz: float
    verdict: str


def nearest_stock(value: float) -> float:
    """Return the value of the E24 series nearest in ratio to a value above zero.

    >>> nearest_stock(932e-12)
    9.1e-10
    """
    decade = 10.0 ** math.floor(math.log10(value))
    choices = [float(f"{m * decade * step:.2g}") for step in (0.1, 1.0, 10.0) for m in E24]
    return min(choices, key=lambda c: abs(math.log(c / value)))


def tolerance(*, nominal: float, measured: float, tolerance_percent: float, meter_percent: float = 0.0) -> Tolerance:
    """Return how far a part is off its marked value, and whether that is within; with a meter sure to ± meter_percent of the reading."""
    deviation = 100.0 * (measured - nominal) / nominal
    unsure = meter_percent * measured / nominal
    inside = abs(deviation) <= tolerance_percent + ROUNDING_PERCENT
    if unsure and abs(abs(deviation) - tolerance_percent) <= unsure + ROUNDING_PERCENT:
        verdict = "cannot say: the limit lies within the meter's own error"
    else:
        verdict = "within" if inside else "out of tolerance"
    return Tolerance(deviation, inside, verdict)


def small_capacitance(*, reading_f: float, zero_f: float, unsure_f: float) -> SmallCapacitance:
    """Return a small capacitance less that of the leads, and whether it is more than the doubt: two readings, each ± unsure_f."""
    net, doubt = reading_f - zero_f, math.sqrt(2.0) * unsure_f
    return SmallCapacitance(
        net, doubt, "meaningful" if abs(net) > 2.0 * doubt else "cannot say: within what the meter and its leads leave open"
    )


def gang_match(*, a_f: Sequence[float], b_f: Sequence[float], l_h: float, trim_f: float = 0.0) -> GangMatch:
    """Return how far two sections of a gang differ at N angles, in F, per cent, and Hz with l_h and trim_f across each."""
    if len(a_f) != len(b_f):
        raise OutOfRange("b_f", shown=f"a list of {len(b_f)}", wanted=f"as many as a_f, {len(a_f)}")
    pairs = list(zip(a_f, b_f, strict=True))
    differences = section_differences_hz(a_f=a_f, b_f=b_f, l_h=l_h, trim_f=trim_f)
    return GangMatch(max(abs(b - a) for a, b in pairs), max(100.0 * abs(b - a) / a for a, b in pairs), max(map(abs, differences)))


def section_differences_hz(*, a_f: Sequence[float], b_f: Sequence[float], l_h: float, trim_f: float = 0.0) -> list[float]:
    """Return by how much (Hz) the second section tunes higher than the first, angle by angle."""
    return [
        resonant_frequency_hz(l_h=l_h, c_f=b + trim_f) - resonant_frequency_hz(l_h=l_h, c_f=a + trim_f)
        for a, b in zip(a_f, b_f, strict=True)
    ]


def rating_margin(*, working: float, peak: float, rating: float) -> Margin:
    """Return what is left between the larger of working value and peak and a part's rating (%; negative when exceeded)."""
    margin = 100.0 * (rating - max(working, peak)) / rating
    words = "exceeded" if margin < 0 else "too little in hand" if margin < 20 else "enough in hand"
    return Margin(margin, words)


def trimmer_range(*, fixed_f: float, trim_min_f: float, trim_max_f: float, l_h: float, rest_f: float) -> TrimmerRange:
    """Return how far a trimmer in place of a fixed capacitor pulls a circuit; rest_f: all other capacitance across it."""
    if not trim_max_f > trim_min_f:
        raise OutOfRange("trim_max_f", shown=f"{trim_max_f:g} F", wanted="above trim_min_f")
    before, high, low = (resonant_frequency_hz(l_h=l_h, c_f=rest_f + c) for c in (fixed_f, trim_min_f, trim_max_f))
    inside = trim_min_f <= fixed_f <= trim_max_f
    return TrimmerRange(
        before,
        high,
        low,
        high - before,
        before - low,
        "the old value is inside its range" if inside else "the old value is outside its range",
    )
