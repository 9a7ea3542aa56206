"""Coils and wire."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.physics import coils
from calm_needle.core.pictures import Picture, Place, Scale, Winding
from calm_needle.core.reckon.calculator import Calculator, Key, Result

Values = Mapping[str, Any]
GAUGES = (30, 34, 36, 38, 40, 42, 44)


def _wire_picture(inputs: Values, results: Values) -> Picture:
    near = sorted({int(results["awg"]) + d for d in (-2, 0, 2)})
    places = [Place(0.127e-3 * 92.0 ** ((36 - n) / 39.0), f"AWG {n}") for n in near]
    return Scale("Diameter between the gauges", "m", [*places, Place(results["diameter_m"], "this wire", "wanted")], log=True)


def _solenoid_says(r: Mapping[str, Any]) -> str:
    return "{turns} turns make {l_h}" + (", within {within_percent}." if r["within_percent"] else "; {validity}.")


CALCULATORS = (
    Calculator(
        "wire",
        "Gauge from ohms",
        "parts and coils",
        "diameter and gauge of a wire from its resistance and length",
        (
            Key("ohm", "Ω", "Resistance", "9.263", sensible=(1e-4, 1e6)),
            Key("length_m", "m", "Length", "2.67", sensible=(1e-3, 1e4)),
            Key("temperature_c", "°C", "Temperature", "20", optional=True, low=-100.0, high=200.0),
        ),
        coils.wire,
        (Result("diameter_m", "Copper diameter", "m"), Result("awg", "Nearest AWG")),
        "The copper is {diameter_m} across, AWG {awg}.",
        ("A = ρ l / R = 1.724e-8 Ω m × {length_m} / {ohm}, corrected for the temperature", "d = 2 √(A / π) = {diameter_m}"),
        (
            "Copper, without its enamel. Litz wire gives the diameter of all strands together.",
            "Two-wire readings below an ohm include the leads.",
        ),
        _wire_picture,
    ),
    Calculator(
        "solenoid",
        "Single-layer coil",
        "parts and coils",
        "inductance of a single layer",
        (
            Key("turns", "", "Turns", "80", low=0.1, high=1e5),
            Key("diameter_m", "m", "Diameter of the winding", "25 mm", sensible=(1e-3, 1.0)),
            Key("length_m", "m", "Length", "40 mm", sensible=(5e-4, 2.0)),
        ),
        coils.solenoid,
        (
            Result("l_h", "Inductance", "H"),
            Result("within_percent", "Within ±", "%", 2),
            Result("validity", "Range of the formula"),
        ),
        _solenoid_says,
        ("Wheeler, in inches: L[µH] = r² N² / (9 r + 10 l), r half of {diameter_m}, l = {length_m}: {l_h}",),
        ("A screen around it, or a core in it, changes it.",),
        lambda i, r: Winding("Cut through", i["turns"], i["length_m"], i["diameter_m"] / 2.0),
    ),
    Calculator(
        "multilayer",
        "Many-layered coil",
        "parts and coils",
        "inductance of a many-layered or honeycomb coil",
        (
            Key("turns", "", "Turns", "180", low=0.1, high=1e6),
            Key("mean_radius_m", "m", "Mean radius", "8 mm", sensible=(5e-4, 0.5)),
            Key("length_m", "m", "Length", "6 mm", sensible=(5e-4, 1.0)),
            Key("depth_m", "m", "Depth of the winding", "4 mm", sensible=(1e-4, 0.5)),
        ),
        lambda **v: {"l_h": coils.multilayer_h(**v)},
        (Result("l_h", "Inductance", "H"),),
        "{turns} turns make {l_h}.",
        ("Wheeler, in inches: L[µH] = 0.8 a² N² / (6 a + 9 b + 10 c), a = {mean_radius_m}, b = {length_m}, c = {depth_m}: {l_h}",),
        ("Within 1 % when the three terms below the line are about equal.",),
        lambda i, r: Winding("Cut through", i["turns"], i["length_m"], i["mean_radius_m"] - i["depth_m"] / 2.0, i["depth_m"]),
    ),
    Calculator(
        "turns",
        "Turns for another inductance",
        "parts and coils",
        "turns for another inductance on the same former",
        (
            Key("l_from_h", "H", "It has", "14.1 mH", sensible=(1e-9, 30.0)),
            Key("turns", "", "with turns", "323", low=0.1, high=1e6),
            Key("l_to_h", "H", "Wanted", "8.47 mH", sensible=(1e-9, 30.0)),
        ),
        lambda **v: {"turns_needed": coils.turns_for(**v)},
        (Result("turns_needed", "Turns needed", "", 5),),
        "{turns_needed} turns make {l_to_h}.",
        ("{turns} × √({l_to_h} / {l_from_h}) = {turns_needed}",),
        ("Same former, same shape of winding, same core.",),
        lambda i, r: Scale("Turns", "", [Place(i["turns"], "now"), Place(r["turns_needed"], "wanted", "wanted")]),
    ),
    Calculator(
        "rewind",
        "Rewind after a sister coil",
        "parts and coils",
        "turns, length of wire and ohms to wind after a sister coil",
        (
            Key("l_from_h", "H", "Sister coil has", "950 µH", sensible=(1e-9, 30.0)),
            Key("turns", "", "with turns", "180", low=0.1, high=1e6),
            Key("l_to_h", "H", "Wanted", "965 µH", sensible=(1e-9, 30.0)),
            Key("mean_diameter_m", "m", "Mean diameter", "16 mm", sensible=(1e-3, 1.0)),
            Key("wire_diameter_m", "m", "Copper of the wire", "0.1 mm", sensible=(1e-5, 5e-3)),
        ),
        coils.rewind,
        (
            Result("turns_needed", "Turns", "", 4),
            Result("length_m", "Length of wire", "m", 3),
            Result("ohm", "It will have", "Ω", 3),
            Result("l_whole_turns_h", "Whole turns make", "H"),
        ),
        "Wind {turns_needed} turns, {length_m} of wire; it will have {ohm}.",
        (
            "{turns} × √({l_to_h} / {l_from_h}) = {turns_needed}",
            "π × {mean_diameter_m} × turns = {length_m}",
            "ρ × length / area of {wire_diameter_m} = {ohm}",
        ),
        (
            "Copper at 20 °C. Record direction and leads before the old winding comes off.",
            "Resistance and inductance of the sister within a few per cent of these: then the plan can be trusted.",
        ),
        lambda i, r: Winding(
            "Cut through", r["turns_needed"], 0.4 * i["mean_diameter_m"], i["mean_diameter_m"] / 2.0 * 0.8, 0.2 * i["mean_diameter_m"]
        ),
    ),
)
