"""Frequencies measured: errors with their uncertainty, the centre of a window, a crystal's band, a chain of mixers, a reference's drift."""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

from calm_needle.core.quantities import format_si
from calm_needle.errors import OutOfRange

Pattern = Literal["proportional", "constant", "neither", "cannot say", "cannot say: how sure are the readings?"]
BELIEVED = 3.0  # standard deviations
LEAST_APART = 0.02  # of what the two patterns differ by, that even exact readings may be off


class FrequencyError(NamedTuple):
    """Error (Hz, ppm), its uncertainty (95 %) from the counter's reference (Hz; None if the reference's is unknown), and whether the error
    is larger."""

    error_hz: float
    error_ppm: float
    uncertainty_hz: float | None
    verdict: str


class ClearWindow(NamedTuple):
    """Centre of a clear range and its error (Hz); the centre is sure to half a step (Hz)."""

    centre_hz: float
    error_hz: float
    uncertainty_hz: float


class OscillatorCheck(NamedTuple):
    """Which side the oscillator is on, where it should be (Hz), how far off it is (Hz)."""

    side: str
    expected_hz: float
    error_hz: float


class ReferenceDrift(NamedTuple):
    """Error (ppm), what it would be elsewhere if proportional or constant (Hz), and which of the two a second reading shows."""

    ppm: float
    proportional_hz: float
    constant_hz: float
    apart_hz: float
    pattern: Pattern


class CrystalBand(NamedTuple):
    """Signals a crystal oscillator receives, oscillator above and below (Hz); the bands (from 1) they fall into, 0 for none."""

    above_hz: float
    below_hz: float
    band_above: int
    band_below: int


class Chain(NamedTuple):
    """What leaves each mixer: the difference (Hz), and the sum that is filtered away (Hz)."""

    stage_hz: list[float]
    sum_hz: list[float]


class Overlaps(NamedTuple):
    """Overlap (Hz, positive) or gap (Hz, negative) between each band and the next higher, the worst of them, and in words."""

    overlap_hz: list[float]
    least_hz: float
    verdict: str


class Touchiness(NamedTuple):
    """How much a turn and a degree do (Hz), how many degrees the tolerance is, and whether that is touchy."""

    hz_per_turn: float
    hz_per_degree: float
    tolerance_degrees: float
    verdict: str


def frequency_error(*, nominal_hz: float, measured_hz: float, reference_ppm: float = 0.0) -> FrequencyError:
    """Return how far a frequency is off, and whether the counter's reference (± ppm) allows to say so."""
    error = measured_hz - nominal_hz
    unsure = measured_hz * reference_ppm * 1e-6 if reference_ppm else None
    if unsure is None:
        verdict = "as measured; what the reference is worth was not given"
    else:
        verdict = "more than the reference explains" if abs(error) > unsure else "cannot say: the reference itself may be off by as much"
    return FrequencyError(error, error / nominal_hz * 1e6, unsure, verdict)


def clear_window(*, nominal_hz: float, lower_hz: float, upper_hz: float, step_hz: float) -> ClearWindow:
    """Return the centre between the edges at which reception turns bad, and its error; each edge is known to one step."""
    if not upper_hz > lower_hz:
        raise OutOfRange("upper_hz", shown=format_si(upper_hz, unit="Hz", digits=7), wanted="above lower_hz")
    centre = (lower_hz + upper_hz) / 2.0
    return ClearWindow(centre, centre - nominal_hz, step_hz / 2.0)


def oscillator_check(*, dial_hz: float, if_hz: float, osc_hz: float) -> OscillatorCheck:
    """Return on which side of the dial frequency an oscillator runs, and its error from dial ± IF."""
    side = "above" if osc_hz >= dial_hz or dial_hz <= if_hz else "below"
    expected = dial_hz + if_hz if side == "above" else dial_hz - if_hz
    return OscillatorCheck(side, expected, osc_hz - expected)


def reference_drift(
    *, at_hz: float, error_hz: float, other_hz: float, other_error_hz: float | None = None, unsure_hz: float | None = None
) -> ReferenceDrift:
    """Return what an error at one frequency foretells at another: proportional (the reference) or constant (one oscillator).

    With the error at the other frequency, and how sure readings are (± Hz, a standard deviation), says which it is. What is foretold
    is as unsure as the reading that it comes from, times the ratio when it is carried to the other frequency; the other reading adds its
    own. A pattern is believed within BELIEVED standard deviations, and only if the other is not.
    """
    ratio = other_hz / at_hz
    proportional, constant = error_hz * ratio, error_hz
    apart = abs(proportional - constant)
    pattern: Pattern = "cannot say"
    if other_error_hz is not None and unsure_hz is None:
        pattern = "cannot say: how sure are the readings?"
    elif other_error_hz is not None and unsure_hz is not None and apart > 0:
        fits_ratio = abs(other_error_hz - proportional) <= BELIEVED * unsure_hz * math.hypot(1.0, ratio) + LEAST_APART * apart
        fits_shift = abs(other_error_hz - constant) <= BELIEVED * unsure_hz * math.sqrt(2.0) + LEAST_APART * apart
        if fits_ratio != fits_shift:
            pattern = "proportional" if fits_ratio else "constant"
        elif not fits_ratio:
            pattern = "neither"
    return ReferenceDrift(error_hz / at_hz * 1e6, proportional, constant, apart, pattern)


def crystal_band(*, crystal_hz: float, if_hz: float, lows_hz: Sequence[float], highs_hz: Sequence[float]) -> CrystalBand:
    """Return what a crystal receives with an IF, and which of the bands (lows, highs: N each) that is in."""
    _same_length(lows_hz=lows_hz, highs_hz=highs_hz)
    above, below = crystal_hz - if_hz, crystal_hz + if_hz

    def band(f_hz: float) -> int:
        return next((i + 1 for i, (low, high) in enumerate(zip(lows_hz, highs_hz, strict=True)) if low <= f_hz <= high), 0)

    return CrystalBand(above, below, band(above), band(below))


def conversion_chain(*, signal_hz: float, lo_hz: Sequence[float]) -> Chain:
    """Return what should be seen after each mixer of a chain: the difference of signal and oscillator, mixer after mixer."""
    stages, sums, f = [], [], signal_hz
    for oscillator in lo_hz:
        sums.append(f + oscillator)
        f = abs(f - oscillator)
        stages.append(f)
    return Chain(stages, sums)


def band_overlap(*, lows_hz: Sequence[float], highs_hz: Sequence[float]) -> Overlaps:
    """Return how bands overlap or leave gaps, sorted from the lowest; N >= 2 measured ends each."""
    _same_length(lows_hz=lows_hz, highs_hz=highs_hz)
    if len(lows_hz) < 2:
        raise OutOfRange("lows_hz", shown="one band", wanted="two bands or more")
    for low, high in zip(lows_hz, highs_hz, strict=True):
        if not high > low:
            raise OutOfRange("highs_hz", shown=format_si(high, unit="Hz"), wanted=f"above its lows_hz, {format_si(low, unit='Hz')}")
    bands = sorted(zip(lows_hz, highs_hz, strict=True))
    overlaps = [a_high - b_low for (_, a_high), (b_low, _) in pairwise(bands)]
    least = min(overlaps)
    return Overlaps(overlaps, least, "no gap" if least >= 0 else "a gap: part of the range cannot be received")


def touchiness(*, change_hz: float, turns: float, tolerance_hz: float) -> Touchiness:
    """Return what a turn of an adjuster does, and how many degrees of it the tolerance is; under ten degrees is touchy."""
    if turns == 0:
        raise OutOfRange("turns", shown="0", wanted="how far it was turned, not zero")
    per_turn = abs(change_hz / turns)
    degrees = 360.0 * tolerance_hz / per_turn if per_turn else math.inf
    degrees = min(degrees, 3600.0)
    return Touchiness(
        per_turn, per_turn / 360.0, degrees, "touchy: a long blade, and look again after letting go" if degrees < 10 else "tame"
    )


def _same_length(**named: Sequence[float]) -> None:
    (a_name, a), (b_name, b) = named.items()
    if len(a) != len(b):
        raise OutOfRange(b_name, shown=f"a list of {len(b)}", wanted=f"as many as {a_name}, {len(a)}")
