"""The table of named calculators: keys, units, function. The command line and the pages read it; neither knows a formula.

physics.md §9 of the design names them; every calculator answers with SI floats and with notes on how far to trust them.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from calm_needle.core import levels, resonance, superhet
from calm_needle.core.quantities import parse_list, parse_si
from calm_needle.errors import NotUnderstood, OutOfRange, UnknownName

Kind = Literal["number", "list", "choice"]


@dataclass(frozen=True)
class Key:
    """One input of a calculator: its name, SI unit, and whether it may be left out."""

    name: str
    unit: str = ""
    kind: Kind = "number"
    choices: tuple[str, ...] = ()
    optional: bool = False


@dataclass(frozen=True)
class Calculator:
    """A named calculator: what goes in, the function that answers, and what to know about the answer."""

    name: str
    purpose: str
    keys: tuple[Key, ...]
    compute: Callable[..., Any]
    notes: tuple[str, ...]

    @property
    def key_names(self) -> tuple[str, ...]:
        return tuple(key.name for key in self.keys)


@dataclass(frozen=True)
class Answer:
    """What a calculator says: its inputs in SI, its results in SI, its notes."""

    name: str
    inputs: dict[str, Any]
    results: dict[str, Any]
    notes: tuple[str, ...]

    def as_dict(self) -> dict[str, Any]:
        return {"name": self.name, "inputs": self.inputs, "results": self.results, "notes": list(self.notes)}


def find(name: str) -> Calculator:
    """Return the calculator of that name, or raise UnknownName with the list of names."""
    try:
        return CALCULATORS[name]
    except KeyError:
        raise UnknownName("calculator", name, known=CALCULATORS) from None


def answer_text(name: str, typed: Mapping[str, str]) -> Answer:
    """Return the answer to inputs as a person types them: `if_hz` = "455k".

    Raises UnknownName for a wrong calculator or key, NotUnderstood (naming the key) for a value that is not one.
    """
    calculator = find(name)
    _refuse_unknown_keys(calculator, typed)
    values = {key.name: _read_text(key, typed[key.name]) for key in calculator.keys if key.name in typed}
    return _answer(calculator, values)


def answer_values(name: str, values: Mapping[str, Any]) -> Answer:
    """Return the answer to inputs that are SI numbers (or lists, or choices) already, as a script sends them."""
    calculator = find(name)
    _refuse_unknown_keys(calculator, values)
    return _answer(calculator, {key.name: _read_value(key, values[key.name]) for key in calculator.keys if key.name in values})


def _answer(calculator: Calculator, values: dict[str, Any]) -> Answer:
    missing = [key.name for key in calculator.keys if not key.optional and key.name not in values]
    if missing:
        raise NotUnderstood(calculator.name, why=f"wants {' and '.join(missing)} too", example=_example(calculator))
    results = calculator.compute(**values)
    return Answer(calculator.name, values, results if isinstance(results, dict) else results._asdict(), calculator.notes)


def _refuse_unknown_keys(calculator: Calculator, given: Mapping[str, Any]) -> None:
    for name in given:
        if name not in calculator.key_names:
            raise UnknownName(f"key of {calculator.name}", str(name), known=calculator.key_names)


def _read_text(key: Key, text: str) -> Any:
    try:
        if key.kind == "choice":
            return _read_choice(key, text)
        return parse_list(text, unit=key.unit) if key.kind == "list" else parse_si(text, unit=key.unit)
    except NotUnderstood as fault:
        raise NotUnderstood(f"{key.name}={fault.text}", why=fault.why, example=f"{key.name}={fault.example}") from None


def _read_value(key: Key, value: Any) -> Any:
    if key.kind == "choice":
        return _read_choice(key, value)
    items = value if key.kind == "list" else [value]
    if not isinstance(items, list) or any(isinstance(x, bool) or not isinstance(x, int | float) or not math.isfinite(x) for x in items):
        wanted = "a list of finite SI numbers" if key.kind == "list" else "a finite SI number"
        raise OutOfRange(key.name, shown=str(value)[:40], wanted=wanted)
    return value


def _read_choice(key: Key, value: object) -> str:
    if value not in key.choices:
        raise OutOfRange(key.name, shown=f"“{str(value)[:40]}”", wanted=" or ".join(f"“{c}”" for c in key.choices))
    return str(value)


def _example(calculator: Calculator) -> str:
    return f"compute {calculator.name} " + " ".join(f"{key.name}=…" for key in calculator.keys if not key.optional)


def _gain(*, from_v: float, to_v: float) -> dict[str, float]:
    return {"gain_db": levels.gain_db(from_v=from_v, to_v=to_v)}


CALCULATORS: dict[str, Calculator] = {
    calculator.name: calculator
    for calculator in (
        Calculator(
            "resonance",
            "coil, capacitor or frequency of a tuned circuit, from the other two",
            (Key("f_hz", "Hz", optional=True), Key("l_h", "H", optional=True), Key("c_f", "F", optional=True)),
            resonance.complete,
            (
                "f = 1 / (2π√(LC)), without loss: with Q above 10 within 0.3 %.",
                "The capacitance is all there is: add strays, and the coil's own.",
            ),
        ),
        Calculator(
            "frequency-plan",
            "oscillator, image and half-IF frequency of a dial frequency",
            (Key("dial_hz", "Hz"), Key("if_hz", "Hz"), Key("side", kind="choice", choices=("above", "below"))),
            superhet.frequency_plan,
            ("Oscillator = dial ± IF, image = dial ± 2 IF, half-IF response = dial ± IF/2, all on the oscillator's side.",),
        ),
        Calculator(
            "level",
            "one level as e.m.f., terminated volts, dBm and dBµV",
            (
                Key("emf_v", "V", optional=True),
                Key("pd_v", "V", optional=True),
                Key("dbm", "dBm", optional=True),
                Key("dbuv_emf", "dBµV", optional=True),
                Key("dbuv_pd", "dBµV", optional=True),
                Key("r_ohm", "Ω"),
            ),
            levels.level,
            (
                "Into a matched load of r_ohm: p.d. is half the e.m.f., dBm is the power in that load.",
                "An open or high-impedance input sees the e.m.f.",
            ),
        ),
        Calculator(
            "attenuator",
            "which pads to throw for a wanted loss",
            (Key("pads_db", "dB", kind="list"), Key("loss_db", "dB")),
            levels.throw_pads,
            (
                "The largest sum not above the wanted loss, with the fewest pads; the remainder is for the generator.",
                "True only if the attenuator ends in its own resistance.",
            ),
        ),
        Calculator(
            "gain",
            "decibels from one voltage to another",
            (Key("from_v", "V"), Key("to_v", "V")),
            _gain,
            ("20 log10(to / from); a gain only if both stand across the same load and the level was not changed between.",),
        ),
    )
}
