"""Modulation and power: deviation by carrier null, depth from an envelope, watts from volts."""

import math
from typing import NamedTuple

from calm_needle.errors import OutOfRange

# Zeros of the Bessel function J0 (Abramowitz and Stegun 1964, table 9.5).
CARRIER_NULLS = (2.404825557695773, 5.520078110286311, 8.653727912911013)


class Power(NamedTuple):
    """Power in watts and dBm."""

    watts: float
    dbm: float


def deviation_at_null_hz(*, tone_hz: float, null: int) -> float:
    """Return the peak deviation (Hz) at which the carrier of an FM signal vanishes for the null-th time, tone_hz modulating it.

    The index of modulation is then a zero of J0: 2.4048, 5.5201, 8.6537. null: 1, 2 or 3. J. R. Carson, Proc. IRE 10 (1922) 57.
    """
    if null not in (1, 2, 3):
        raise OutOfRange("null", shown=f"{null:g}", wanted="1, 2 or 3: the how-manieth vanishing of the carrier")
    return CARRIER_NULLS[int(null) - 1] * tone_hz


def depth_of(*, v_max: float, v_min: float) -> float:
    """Return the depth of an AM envelope: (Vmax - Vmin) / (Vmax + Vmin), 0..1; both zero or more, Vmax the larger."""
    if v_min > v_max:
        raise OutOfRange("v_min", shown=f"{v_min:g} V", wanted="at most v_max")
    return (v_max - v_min) / (v_max + v_min)


def power_in_load(*, r_ohm: float, v_rms: float | None = None, v_pp: float | None = None) -> Power:
    """Return the power of a sine across a resistance, from r.m.s. or peak-to-peak volts (V_rms = V_pp / (2 sqrt 2))."""
    if (v_rms is None) == (v_pp is None):
        raise OutOfRange("v_rms, v_pp", shown="both or neither", wanted="exactly one of them")
    volts = v_rms if v_rms is not None else (v_pp or 0.0) / (2.0 * math.sqrt(2.0))
    watts = volts * volts / r_ohm
    return Power(watts, 10.0 * math.log10(watts / 1e-3))
