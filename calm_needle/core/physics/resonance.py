"""Tuned circuits of one coil and one capacitor."""

import math
from typing import NamedTuple

from calm_needle.core.quantities import format_si
from calm_needle.errors import OutOfRange


class Resonance(NamedTuple):
    """The three quantities of a lossless tuned circuit."""

    f_hz: float
    l_h: float
    c_f: float


class RealResonance(NamedTuple):
    """A tuned circuit with what lies across the capacitor, and how far the one that was worked out can be off (%), at worst."""

    f_hz: float
    l_h: float
    c_f: float
    total_f: float
    off_percent: float


def resonant_frequency_hz(*, l_h: float, c_f: float) -> float:
    """Return the frequency (Hz) at which an ideal coil and capacitor resonate: 1 / (2 pi sqrt(L C)).

    Both above zero, else OutOfRange. No loss assumed: with Q = 10 the response peaks within 0.3 % of it.
    W. Thomson, Phil. Mag. (4) 5 (1853) 393, with R = 0.
    """
    require_positive("l_h", l_h, "H")
    require_positive("c_f", c_f, "F")
    return 1.0 / (2.0 * math.pi * math.sqrt(l_h) * math.sqrt(c_f))


def inductance_h(*, f_hz: float, c_f: float) -> float:
    """Return the inductance (H) that resonates with a capacitance (F) at a frequency (Hz)."""
    require_positive("f_hz", f_hz, "Hz")
    require_positive("c_f", c_f, "F")
    return 1.0 / ((2.0 * math.pi * f_hz) ** 2 * c_f)


def capacitance_f(*, f_hz: float, l_h: float) -> float:
    """Return the capacitance (F) that resonates with an inductance (H) at a frequency (Hz)."""
    require_positive("f_hz", f_hz, "Hz")
    require_positive("l_h", l_h, "H")
    return 1.0 / ((2.0 * math.pi * f_hz) ** 2 * l_h)


def complete(*, f_hz: float | None = None, l_h: float | None = None, c_f: float | None = None) -> Resonance:
    """Return all three of frequency, inductance and capacitance from any two.

    Raises OutOfRange when a given one is not above zero, or when not exactly two are given.

    >>> round(complete(l_h=1e-3, c_f=100e-12).f_hz)
    503292
    """
    if sum(x is not None for x in (f_hz, l_h, c_f)) != 2:
        raise OutOfRange("the number of known quantities", shown="not two", wanted="two of f_hz, l_h, c_f")
    if f_hz is None:
        assert l_h is not None and c_f is not None
        return Resonance(resonant_frequency_hz(l_h=l_h, c_f=c_f), l_h, c_f)
    if l_h is None:
        assert c_f is not None
        return Resonance(f_hz, inductance_h(f_hz=f_hz, c_f=c_f), c_f)
    return Resonance(f_hz, l_h, capacitance_f(f_hz=f_hz, l_h=l_h))


def complete_real(
    *,
    f_hz: float | None = None,
    l_h: float | None = None,
    c_f: float | None = None,
    stray_f: float = 0.0,
    l_percent: float = 0.0,
    c_percent: float = 0.0,
) -> RealResonance:
    """Return all three of frequency, inductance and the capacitor that is fitted, with `stray_f` (wiring, the coil's own) across it.

    l_percent, c_percent: how far the coil and the capacitor may be off what was given; a frequency is taken as exact. off_percent is to
    first order and with both off the same way, within a tenth of itself up to 20 %. Raises OutOfRange, also where the strays alone are
    more than the frequency allows.

    >>> f"{complete_real(l_h=1e-3, c_f=92e-12, stray_f=8e-12, l_percent=4.0).off_percent:.1f}"
    '2.0'
    """
    whole = complete(f_hz=f_hz, l_h=l_h, c_f=None if c_f is None else c_f + stray_f)
    fitted = whole.c_f - stray_f
    if not fitted > 0.0:
        most = format_si(whole.c_f, unit="F", digits=3)
        raise OutOfRange("stray_f", shown=format_si(stray_f, unit="F", digits=3), wanted=f"below {most}, which is all that resonates there")
    share = fitted / whole.c_f
    off_by = {"f_hz": (l_percent + c_percent * share) / 2.0, "l_h": c_percent * share, "c_f": l_percent / share}
    wanted = "f_hz" if f_hz is None else "l_h" if l_h is None else "c_f"
    return RealResonance(whole.f_hz, whole.l_h, fitted, whole.c_f, off_by[wanted])


def detuning(*, f_hz: float, f0_hz: float, q_factor: float) -> float:
    """Return a = Q (f/f0 - f0/f), the detuning in units of the half bandwidth; the response is 1/(1 + j a)."""
    return q_factor * (f_hz / f0_hz - f0_hz / f_hz)


def require_positive(name: str, value: float, unit: str) -> None:
    """Raise OutOfRange unless the value is finite and above zero."""
    if not (value > 0 and math.isfinite(value)):
        raise OutOfRange(name, shown=format_si(value, unit=unit) if math.isfinite(value) else "not a finite number", wanted="above zero")
