"""A true set from outside: what its gang, its parts and its pointer really are, so that other laws can be tried than ours.

    {"gang": [{"section": "oscillator", "band": "MW", "angle_deg": [0, 20, …, 180], "capacitance_f": [428e-12, …]}],
     "parts": {"MW": {"oscillator": {"l_h": 95e-6, "trim_f": 46e-12, "padder_f": 570e-12}}},
     "pointer": {"width_mm": 0.15, "backlash_mm": 0.3, "cord_slip_mm": 0.0}}

Each may be left out: what is not said stays as the seed has it. Section: «oscillator», «signal» for all others, or a stage of the
dossier. Band: left out for one that holds on every band. Angle: 0° where the scale begins (the gang closed), 180° where it ends. Parts are
as somebody left them: a coil or trimmer that turns is turned to its value, one that does not is what it is.
"""

import math
from collections.abc import Mapping
from itertools import pairwise
from typing import Any

from calm_needle.errors import FieldsRefused
from calm_needle.sim.receiver.band_tank import BandTank, Variable
from calm_needle.sim.receiver.dial import OSCILLATOR
from calm_needle.sim.receiver.gang_law import TRAVEL_DEG, measured
from calm_needle.sim.receiver.pointer import Drive, Pointer
from calm_needle.sim.receiver.practice import PracticeReceiver

SIGNAL = "signal"
KNOWN = ("gang", "parts", "pointer")
DRIVE = {"width_mm": "width_mm", "backlash_mm": "backlash_mm", "cord_slip_mm": "slip_mm"}
VALUES = ("l_h", "trim_f", "padder_f")
MOST_MM, NEAR = 20.0, 1e-3


def be_true(receiver: PracticeReceiver, truth: Any) -> None:
    """Let a practice set be what a true set is. Raises FieldsRefused with every fault named; nothing is changed then."""
    if not isinstance(truth, Mapping):
        raise FieldsRefused({"truth": "A true set is a JSON object with gang, parts and pointer."})
    faults: dict[str, str] = {str(k): f"Not known; a true set has {', '.join(KNOWN)}." for k in truth if k not in KNOWN}
    gang = [_section(receiver, i, row, faults) for i, row in enumerate(_list(truth.get("gang", []), "gang", faults))]
    tanks = _tanks(receiver, truth.get("parts", {}), faults)
    drive = _drive(truth.get("pointer", {}), faults)
    if faults:
        raise FieldsRefused(faults)
    for sections, band, angle_deg, farads in (g for g in gang if g is not None):
        for section in sections:
            receiver.dial.measured[(section, band)] = measured(angle_deg, farads)
    for variable, value in tanks:
        variable.set_to(value)
    if truth.get("pointer"):
        receiver.dial.pointer = Pointer(drive, seed=receiver.seed)


def _section(
    receiver: PracticeReceiver, i: int, row: Any, faults: dict[str, str]
) -> tuple[list[str], str, list[float], list[float]] | None:
    at = f"gang[{i}]"
    if not isinstance(row, Mapping):
        faults[at] = "A section is an object with section, angle_deg and capacitance_f."
        return None
    before = len(faults)
    others = [s.stage_id for s in receiver.chain.all if s.tanks and s is not receiver.chain.oscillator]
    name, band = str(row.get("section", OSCILLATOR)), str(row.get("band", ""))
    if name not in (OSCILLATOR, SIGNAL, *others):
        faults[f"{at}.section"] = f"{name} is none of this set’s sections: {', '.join((OSCILLATOR, SIGNAL, *others))}."
    if band and band not in receiver.dial.bands:
        faults[f"{at}.band"] = f"This set has no band {band}, only {', '.join(receiver.dial.bands)}."
    angles, farads = (_numbers(row.get(k), f"{at}.{k}", faults) for k in ("angle_deg", "capacitance_f"))
    if len(angles) != len(farads) or len(angles) < 2:
        faults.setdefault(at, "angle_deg and capacitance_f want as many values each, two or more.")
    elif any(b <= a for a, b in pairwise(angles)) or angles[0] > NEAR or angles[-1] < TRAVEL_DEG - NEAR:
        faults[f"{at}.angle_deg"] = f"Angles must rise, from 0 to {TRAVEL_DEG:g}."
    elif min(farads) <= 0.0:
        faults[f"{at}.capacitance_f"] = "Each capacitance must be above zero."
    return None if len(faults) > before else ([*others] if name == SIGNAL else [name], band, angles, farads)


def _tanks(receiver: PracticeReceiver, parts: Any, faults: dict[str, str]) -> list[tuple[Variable, float]]:
    out: list[tuple[Variable, float]] = []
    stages = {s.stage_id: s.tanks for s in receiver.chain.all if s.tanks}
    if receiver.chain.oscillator is not None:
        stages[OSCILLATOR] = receiver.chain.oscillator.tanks
    for band, of_band in _mapping(parts, "parts", faults).items():
        for stage, values in _mapping(of_band, f"parts.{band}", faults).items():
            at, tank = f"parts.{band}.{stage}", stages.get(stage, {}).get(band)
            if tank is None:
                faults[at] = f"This set has no such tank; it has {', '.join(f'{b}.{s}' for s, t in stages.items() for b in t)}."
                continue
            for name, value in _mapping(values, at, faults).items():
                variable = _variable(tank, name)
                if variable is None:
                    faults[f"{at}.{name}"] = f"A tank has {', '.join(VALUES)}, a padder only where it is drawn."
                elif not _above_zero(value):
                    faults[f"{at}.{name}"] = "Give a number above zero."
                else:
                    out.append((variable, float(value)))
    return out


def _variable(tank: BandTank, name: str) -> Variable | None:
    return {"l_h": tank.inductance, "trim_f": tank.trimmer, "padder_f": tank.padder}.get(name)


def _drive(data: Any, faults: dict[str, str]) -> Drive:
    values: dict[str, float] = {}
    for name, value in _mapping(data, "pointer", faults).items():
        if name not in DRIVE:
            faults[f"pointer.{name}"] = f"Not known; a pointer has {', '.join(DRIVE)}."
        elif not _number(value) or not 0.0 <= value <= MOST_MM:
            faults[f"pointer.{name}"] = f"Give millimetres, 0 to {MOST_MM:g}."
        else:
            values[DRIVE[name]] = float(value)
    return Drive(**values)


def _list(value: Any, name: str, faults: dict[str, str]) -> list[Any]:
    if isinstance(value, list):
        return value
    faults[name] = "Give a list."
    return []


def _mapping(value: Any, name: str, faults: dict[str, str]) -> Mapping[str, Any]:
    if isinstance(value, Mapping):
        return value
    faults[name] = "Give an object."
    return {}


def _numbers(value: Any, name: str, faults: dict[str, str]) -> list[float]:
    if isinstance(value, list) and all(_number(v) for v in value):
        return [float(v) for v in value]
    faults[name] = "Give a list of numbers."
    return []


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def _above_zero(value: Any) -> bool:
    return _number(value) and value > 0.0
