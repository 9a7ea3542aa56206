"""What a band's tanks may be where no papers say it: from its range, its intermediate frequency and a gang as such sets have.

Two tanks on one gang keep their frequencies when every capacitance is made k times as large and every coil k times as small, so that the
gang's own size hardly matters to what its adjusters do: what matters is how large trimmer and padder are beside it, and that the range
fixes. Signal coil and trimmer from the range's two ends; oscillator coil, trimmer and padder by three-point tracking where there is a
padder (see `tracking`), else from the two ends.
"""

from typing import NamedTuple

from calm_needle.core.physics.resonance import inductance_h
from calm_needle.core.physics.tracking import best_points, three_point
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

GANG_MOST_F, GANG_LEAST_F = 450e-12, 12e-12
LEAST_TRIM_F = 4e-12


class Tank(NamedTuple):
    """Coil (H), capacitance across the gang (F), padder (F) or None."""

    l_h: float
    trim_f: float
    padder_f: float | None = None


class Tanks(NamedTuple):
    """The tanks of a band."""

    signal: Tank
    oscillator: Tank


def typical_tanks(*, f_low_hz: float, f_high_hz: float, if_hz: float, side: int, padded: bool) -> Tanks:
    """Return the tanks of a band from f_low_hz to f_high_hz, its oscillator if_hz above (side 1) or below (-1).

    padded: with a padder; where none above zero tracks, there is none. Raises OutOfRange for a band that no gang covers, or an
    oscillator that would stand still.
    """
    if not 0.0 < f_low_hz < f_high_hz:
        raise OutOfRange("f_high_hz", shown=format_si(f_high_hz, unit="Hz"), wanted=f"above {format_si(f_low_hz, unit='Hz')}")
    low_hz, high_hz = f_low_hz + side * if_hz, f_high_hz + side * if_hz
    if low_hz <= 0.0:
        raise OutOfRange("if_hz", shown=format_si(if_hz, unit="Hz"), wanted=f"below {format_si(f_low_hz, unit='Hz')}")
    signal = _two_point(f_low_hz, f_high_hz)
    if padded and side > 0:
        try:
            best = best_points(if_hz=if_hz, l_rf_h=signal.l_h, f_low_hz=f_low_hz, f_high_hz=f_high_hz)
            points = {"f1_hz": best.f1_hz, "f2_hz": best.f2_hz, "f3_hz": best.f3_hz}
            parts = three_point(**points, if_hz=if_hz, l_rf_h=signal.l_h, f_low_hz=f_low_hz, f_high_hz=f_high_hz)
            trim_f = signal.trim_f + parts.trimmer_difference_f
            if trim_f > 0.0:
                return Tanks(signal, Tank(parts.l_osc_h, trim_f, parts.padder_f))
        except NoAnswer:
            pass
    return Tanks(signal, _two_point(low_hz, high_hz))


def _two_point(low_hz: float, high_hz: float) -> Tank:
    """The coil and the trimmer with which such a gang goes from one frequency to the other."""
    ratio = (high_hz / low_hz) ** 2
    trim_f = max(LEAST_TRIM_F, (GANG_MOST_F - ratio * GANG_LEAST_F) / (ratio - 1.0))
    if (GANG_MOST_F + trim_f) / (GANG_LEAST_F + trim_f) < ratio * 0.999:
        raise OutOfRange("f_high_hz", shown=format_si(high_hz, unit="Hz"), wanted=f"less than six times {format_si(low_hz, unit='Hz')}")
    return Tank(inductance_h(f_hz=low_hz, c_f=GANG_MOST_F + trim_f), trim_f)
