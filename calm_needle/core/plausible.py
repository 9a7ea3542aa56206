"""Unit hygiene: a quantity whose size cannot be meant, and what was probably meant instead.

Kilo and mega are swapped, a prefix is forgotten or doubled: one factor of a thousand or a million, up or down, brings the value
back to where such quantities lie. A value that no such factor explains is left alone.
"""

import math

from calm_needle.core.quantities import format_si
from calm_needle.errors import Fault

FACTORS = (1e-3, 1e3, 1e-6, 1e6, 1e-9, 1e9, 1e-12)
# Hz: where intermediate frequencies and signals of each kind of set lie.
IF_OF_KIND = {
    "broadcast": (50e3, 30e6),
    "portable": (50e3, 30e6),
    "communications": (50e3, 120e6),
    "FM tuner": (50e3, 120e6),
    "scanner": (50e3, 1e9),
    "mobile transceiver": (50e3, 120e6),
    "HF transceiver": (50e3, 120e6),
}
SIGNAL_OF_KIND = {
    "broadcast": (50e3, 120e6),
    "portable": (50e3, 120e6),
    "communications": (10e3, 200e6),
    "FM tuner": (50e3, 120e6),
    "scanner": (100e3, 3e9),
    "mobile transceiver": (1e6, 1e9),
    "HF transceiver": (100e3, 60e6),
}
# What no bench instrument of the kind reads, by unit; a number beyond it belongs to another question, or to none.
MOST_BELIEVABLE = {"V": 1e5, "A": 1e3, "W": 1e5, "Ω": 1e12, "F": 1.0, "H": 1e5, "Hz": 1e12, "dB": 400.0, "%": 1e4}
MOST_OF_ALL = 1e15
# Between which a value asked at a bench about the circuits of a receiver lies, by unit.
SENSIBLE = {"F": (3e-13, 5e-3), "H": (2e-9, 100.0), "m": (1e-5, 300.0), "Hz": (20.0, 3e9), "A": (1e-5, 20.0)}
LEAST_SLIP, SLIP_LANDS = 2.0, 0.35  # decades that a value is off for a slip; within which of the drawn one it then lands
NOT_THE_SAME_SCALE = 200.0  # two readings of one step seldom differ by more


def likely_instead(value: float, *, sensible: tuple[float, float]) -> float | None:
    """Return what was probably meant for a value outside the sensible range, or None: inside, or nothing explains it.

    Of several explanations the smallest slip counts; of equal slips that which lands nearest the middle of the range.

    >>> likely_instead(455e6, sensible=(50e3, 50e6))
    455000.0
    """
    low, high = sensible
    if low <= abs(value) <= high or value == 0:
        return None
    middle = math.log(low * high) / 2.0
    fitting = [f for f in FACTORS if low <= abs(value) * f <= high]
    if not fitting:
        return None
    best = min(fitting, key=lambda f: (abs(math.log10(f)), abs(math.log(abs(value) * f) - middle)))
    return float(f"{value * best:.12g}")


def reading_instead(value: float, *, before: float) -> float | None:
    """Return what was probably meant by a reading (same unit) that is out of all scale with the one before, or None."""
    if value <= 0 or before <= 0 or 1.0 / NOT_THE_SAME_SCALE < value / before < NOT_THE_SAME_SCALE:
        return None
    return likely_instead(value, sensible=(before / NOT_THE_SAME_SCALE**0.5, before * NOT_THE_SAME_SCALE**0.5))


def part_instead(value: float, *, drawn: float) -> float | None:
    """Return what was probably meant by the value of a part (same unit) that a factor of a thousand or a million would bring to what is
    drawn; None where it is near enough already, or no such factor does.

    >>> part_instead(27.0, drawn=27e3), part_instead(22e3, drawn=27e3), part_instead(0.0, drawn=27e3)
    (27000.0, None, None)
    """
    if value <= 0 or drawn <= 0 or abs(math.log10(value / drawn)) < LEAST_SLIP:
        return None
    near = (f for f in FACTORS if abs(math.log10(value * f / drawn)) < SLIP_LANDS)
    meant = next(near, None)
    return None if meant is None else float(f"{value * meant:.12g}")


def question(value: float, *, meant: float, unit: str) -> str:
    """Return what is asked about a value (SI) that may be a slip of a prefix."""
    kept, likely = (format_si(v, unit=unit, digits=3) for v in (value, meant))
    return f"{kept}, or {likely}? ↓ takes {likely}; Enter once more keeps {kept}."


def frequency_fault(path: str, value_hz: float, *, kind: str, what: str) -> Fault | None:
    """Return the fault of a frequency in a dossier that a set of this kind cannot have, with the likely meaning; None for a sound one."""
    ranges = IF_OF_KIND if what == "intermediate frequency" else SIGNAL_OF_KIND
    likely = likely_instead(value_hz, sensible=ranges.get(kind, (10e3, 3e9)))
    if likely is None:
        return None
    shown, meant = format_si(value_hz, unit="Hz"), format_si(likely, unit="Hz")
    return Fault(path, f"{shown} cannot be the {what} of a {kind} set; was {meant} meant?")
