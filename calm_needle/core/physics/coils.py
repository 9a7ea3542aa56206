"""Coils: wire, turns, Wheeler's formulas, the travel of a core, the capacitor that fits a transformer.

H. A. Wheeler, Simple inductance formulas for radio coils, Proc. IRE 16 (1928) 1398; his inches are turned into metres.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.physics.parts import nearest_stock
from calm_needle.core.physics.resonance import capacitance_f, inductance_h, resonant_frequency_hz
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

COPPER_OHM_M = 1.724e-8  # at 20 °C, annealed, IEC 60028 (1925)
COPPER_PER_KELVIN = 0.00393  # IEC 60028 (1925)
INCH_M = 0.0254
GOOD_DIP, SHALLOW_DIP = "a good dip", "a shallow dip: damped, or its capacitor open"
NO_DIP = "no dip: no tuned circuit answers here"
DIP_AT_END = "lowest at the end of the scan: go on beyond it, its far side is not seen yet"
NEAR_STOP_PERCENT = 10.0


class Wire(NamedTuple):
    """Diameter of the copper (m), nearest whole gauge number (AWG)."""

    diameter_m: float
    awg: int


class TransformerCapacitor(NamedTuple):
    """Capacitor for the middle of the travel (F), reach with it (Hz); nearest stock value (F), travel left on both sides with that (%)."""

    c_f: float
    f_low_hz: float
    f_high_hz: float
    stock_c_f: float
    left_below_percent: float
    left_above_percent: float
    verdict: str


class SlugTravel(NamedTuple):
    """Middle of the travel (H), where the wanted inductance lies on it (% from the least), and in words."""

    l_middle_h: float
    wanted_percent: float
    verdict: str


class Reach(NamedTuple):
    """Inductance wanted with the measured capacitor (H), where it lies on the travel (%), and whether the core gets there."""

    l_wanted_h: float
    wanted_percent: float
    verdict: str


class Rewind(NamedTuple):
    """Turns needed, length of the wire (m), its resistance (ohm), and the inductance those whole turns give (H)."""

    turns_needed: float
    length_m: float
    ohm: float
    l_whole_turns_h: float


class InCircuit(NamedTuple):
    """How much less or more is read in the circuit (%), what lies across the coil to make it so (H), and in words."""

    difference_percent: float
    across_h: float
    verdict: str


class Dip(NamedTuple):
    """Frequency of the dip (Hz), its depth (dB), width 3 dB above its bottom (Hz), Q from the two, and in words."""

    f0_hz: float
    depth_db: float
    width_hz: float
    q: float
    verdict: str

    @property
    def seen(self) -> bool:
        """Whether it is a dip, good or shallow, with both its sides in the scan."""
        return self.verdict in (GOOD_DIP, SHALLOW_DIP)


def wire(*, ohm: float, length_m: float, temperature_c: float = 20.0) -> Wire:
    """Return the diameter (m) of a copper wire of this resistance and length, and the nearest gauge: d = 0.127 mm · 92^((36 - n)/39)."""
    resistivity = COPPER_OHM_M * (1.0 + COPPER_PER_KELVIN * (temperature_c - 20.0))
    if resistivity <= 0:
        raise OutOfRange("temperature_c", shown=f"{temperature_c:g} °C", wanted="above −200 °C")
    diameter = 2.0 * math.sqrt(resistivity * length_m / ohm / math.pi)
    return Wire(diameter, round(36.0 - 39.0 * math.log(diameter / 0.127e-3) / math.log(92.0)))


WHEELER_FROM, WHEELER_WITHIN_PERCENT = 0.8, 1.0  # of the radius: the shortest length for which the formula is so near


class Solenoid(NamedTuple):
    """A single layer: inductance (H), how near the formula is (%, None outside its range), and in a word whether it is inside."""

    l_h: float
    within_percent: float | None
    validity: str


def solenoid(*, turns: float, diameter_m: float, length_m: float) -> Solenoid:
    """Return what solenoid_h() says of a coil, and how near that is for a coil of this shape."""
    inside = length_m >= WHEELER_FROM * diameter_m / 2.0
    said = "inside" if inside else f"outside: it is shorter than {WHEELER_FROM:g} of its radius, and the formula reads low"
    found = solenoid_h(turns=turns, diameter_m=diameter_m, length_m=length_m)
    return Solenoid(found, WHEELER_WITHIN_PERCENT if inside else None, said)


def solenoid_h(*, turns: float, diameter_m: float, length_m: float) -> float:
    """Return the inductance (H) of a single layer: L[µH] = r² N² / (9 r + 10 l), inches. Within 1 % when l > 0.8 r."""
    r, length = diameter_m / 2.0 / INCH_M, length_m / INCH_M
    return 1e-6 * r * r * turns * turns / (9.0 * r + 10.0 * length)


def multilayer_h(*, turns: float, mean_radius_m: float, length_m: float, depth_m: float) -> float:
    """Return the inductance (H) of a many-layered coil: L[µH] = 0.8 a² N² / (6 a + 9 b + 10 c), inches: mean radius a, length b,
    depth c. Within 1 % when the three terms below the line are about equal.
    """
    if depth_m >= 2.0 * mean_radius_m:
        raise OutOfRange("depth_m", shown=format_si(depth_m, unit="m"), wanted="less than twice mean_radius_m: the winding has a hole")
    a, b, c = mean_radius_m / INCH_M, length_m / INCH_M, depth_m / INCH_M
    return 0.8e-6 * a * a * turns * turns / (6.0 * a + 9.0 * b + 10.0 * c)


def turns_for(*, l_from_h: float, turns: float, l_to_h: float) -> float:
    """Return the turns that give l_to on the same former: inductance goes with the square of the turns."""
    return turns * math.sqrt(l_to_h / l_from_h)


def rewind(*, l_from_h: float, turns: float, l_to_h: float, mean_diameter_m: float, wire_diameter_m: float) -> Rewind:
    """Return what to wind after a sister coil: turns, length of wire and d.c. resistance at 20 °C."""
    needed = turns_for(l_from_h=l_from_h, turns=turns, l_to_h=l_to_h)
    length = math.pi * mean_diameter_m * needed
    ohm = COPPER_OHM_M * length / (math.pi * wire_diameter_m**2 / 4.0)
    return Rewind(needed, length, ohm, l_from_h * (max(1, round(needed)) / turns) ** 2)


def transformer_capacitor(*, if_hz: float, l_min_h: float, l_max_h: float, stray_f: float = 0.0) -> TransformerCapacitor:
    """Return what to fit for a transformer whose capacitor is open: C for the IF at the geometric middle of the core's travel, less strays.

    The nearest value of the E24 series, and how much of the travel (by inductance) is left on both sides with it.
    Raises NoAnswer when strays alone are more than the circuit wants.
    """
    _travel(l_min_h, l_max_h)
    c = capacitance_f(f_hz=if_hz, l_h=math.sqrt(l_min_h * l_max_h)) - stray_f
    if c <= 0:
        raise NoAnswer("stray_f: the strays alone are more than the circuit wants; see whether l_min_h and l_max_h are right.")
    stock = nearest_stock(c)
    at = _percent(inductance_h(f_hz=if_hz, c_f=stock + stray_f), l_min_h, l_max_h)
    return TransformerCapacitor(
        c,
        resonant_frequency_hz(l_h=l_max_h, c_f=c + stray_f),
        resonant_frequency_hz(l_h=l_min_h, c_f=c + stray_f),
        stock,
        at,
        100.0 - at,
        _travel_words(at),
    )


def slug_travel(*, l_min_h: float, l_max_h: float, l_wanted_h: float) -> SlugTravel:
    """Return where a wanted inductance lies between the two stops of a core, by inductance."""
    _travel(l_min_h, l_max_h)
    at = _percent(l_wanted_h, l_min_h, l_max_h)
    return SlugTravel((l_min_h + l_max_h) / 2.0, at, _travel_words(at))


def reach(*, if_hz: float, c_measured_f: float, l_min_h: float, l_max_h: float, stray_f: float = 0.0) -> Reach:
    """Return whether the core still reaches the IF with the capacitor as it was measured, whatever is printed on it."""
    _travel(l_min_h, l_max_h)
    wanted = inductance_h(f_hz=if_hz, c_f=c_measured_f + stray_f)
    at = _percent(wanted, l_min_h, l_max_h)
    return Reach(wanted, at, _travel_words(at))


def in_circuit(*, l_out_h: float, l_in_h: float) -> InCircuit:
    """Return how a coil's inductance read in the circuit differs from that out of it, and what would explain it.

    What lies across the coil (another winding, a damping resistor, a capacitor below its resonance) changes the reading: the one taken
    in the circuit is no good for resonance sums.
    """
    difference = 100.0 * (l_in_h - l_out_h) / l_out_h
    across = l_out_h * l_in_h / abs(l_out_h - l_in_h) if l_out_h != l_in_h else 1e6
    words = (
        "the same within 2 %: nothing lies across it"
        if abs(difference) <= 2.0
        else "something lies across it: reckon with the reading out of circuit"
    )
    return InCircuit(difference, min(across, 1e6), words)


def dip(*, f_hz: Sequence[float], v: Sequence[float]) -> Dip:
    """Return the dip in a scan of N >= 5 points (frequency, volts above zero): place, depth below the median, width, Q, and in words.

    No dip: under 0.5 dB. Shallow: under 3 dB, a damped or open circuit. The place is that of a parabola through the lowest three.
    Lowest at the first or last point: its far side is unseen, and the words say so.
    """
    if len(f_hz) != len(v):
        raise OutOfRange("v", shown=f"a list of {len(v)}", wanted=f"as many as f_hz, {len(f_hz)}")
    if len(f_hz) < 5:
        raise OutOfRange("f_hz", shown=f"{len(f_hz)} points", wanted="five or more")
    order = sorted(range(len(f_hz)), key=lambda i: f_hz[i])
    f, level = [f_hz[i] for i in order], [20.0 * math.log10(v[i]) for i in order]
    if len(set(f)) < len(f):
        raise OutOfRange("f_hz", shown="a frequency given twice", wanted="each frequency once")
    bottom = min(range(len(f)), key=level.__getitem__)
    shoulder = sorted(level)[len(level) // 2]
    depth = shoulder - level[bottom]
    f0 = f[bottom]
    if 0 < bottom < len(f) - 1:
        s1 = (level[bottom] - level[bottom - 1]) / (f[bottom] - f[bottom - 1])
        s2 = (level[bottom + 1] - level[bottom]) / (f[bottom + 1] - f[bottom])
        if s2 > s1:
            m1, m2 = (f[bottom - 1] + f[bottom]) / 2.0, (f[bottom] + f[bottom + 1]) / 2.0
            f0 = m1 + (m2 - m1) * -s1 / (s2 - s1)
    width = _crossing(f, level, bottom, 1) - _crossing(f, level, bottom, -1) if depth > 3.0 else 0.0
    words = NO_DIP if depth < 0.5 else DIP_AT_END if bottom in (0, len(f) - 1) else SHALLOW_DIP if depth < 3 else GOOD_DIP
    return Dip(f0, depth, width, f0 / width if width > 0 else 0.0, words)


def _crossing(f: list[float], level: list[float], bottom: int, way: int) -> float:
    edge = level[bottom] + 3.0
    i = bottom
    while 0 <= i + way < len(f):
        a, b = level[i], level[i + way]
        if a < edge <= b:
            return f[i] + (f[i + way] - f[i]) * (edge - a) / (b - a)
        i += way
    return f[i]


def _travel(l_min_h: float, l_max_h: float) -> None:
    if not l_max_h > l_min_h:
        raise OutOfRange("l_max_h", shown=format_si(l_max_h, unit="H"), wanted=f"above l_min_h, {format_si(l_min_h, unit='H')}")


def _percent(l_h: float, l_min_h: float, l_max_h: float) -> float:
    return 100.0 * (l_h - l_min_h) / (l_max_h - l_min_h)


def _travel_words(percent: float) -> str:
    if percent < 0 or percent > 100:
        return "out of reach: the core ends before it gets there"
    if percent < NEAR_STOP_PERCENT or percent > 100.0 - NEAR_STOP_PERCENT:
        return "near a stop: it just reaches, with nothing in hand"
    return "within its travel"
