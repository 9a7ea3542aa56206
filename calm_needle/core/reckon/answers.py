"""The table of named calculators, and answers from typed text or from SI numbers. The command line and the pages read it.

physics.md §9 of the design names most of them; core/reckon/catalogue/ holds them by the part of the work they are needed in.
"""

import math
from collections.abc import Callable, Mapping
from typing import Any

from calm_needle.core.physics.sine_fit import Recording
from calm_needle.core.plausible import likely_instead
from calm_needle.core.quantities import LOGARITHMIC, TRUE_MINUS, format_db, format_si, parse_list, parse_si
from calm_needle.core.reckon.calculator import LONGEST_LIST, POSSIBLE, Answer, Calculator, Doubt, Key, Result
from calm_needle.core.reckon.catalogue import coils, dial, frequency, levels, noise, parts, supply, tracking, tuned
from calm_needle.errors import CalmNeedleError, FileRefused, NoAnswer, NotUnderstood, OutOfRange, UnknownName

ReadFile = Callable[[str], Recording]
LONGEST_TEXT = 20_000
MOST_INT = 10**300  # beyond it an integer is no float
LONG_S = 120.0  # from here on, minutes are what one would say

CALCULATORS: dict[str, Calculator] = {
    c.name: c for module in (levels, tuned, tracking, dial, frequency, noise, parts, coils, supply) for c in module.CALCULATORS
}


def find(name: str) -> Calculator:
    """Return the calculator of that name, or raise UnknownName with the list of names."""
    try:
        return CALCULATORS[name]
    except KeyError:
        raise UnknownName("calculator", name, known=CALCULATORS) from None


def answer_text(name: str, typed: Mapping[str, str], *, read_file: ReadFile | None = None) -> Answer:
    """Return the answer to inputs as a person types them: `if_hz` = "455k".

    Raises UnknownName for a wrong calculator or key, NotUnderstood (naming the key) for a value that is not one, OutOfRange for
    one that cannot be, NoAnswer where nothing answers, FileRefused for a recording that cannot be read.
    """
    calculator = find(name)
    _refuse_unknown_keys(calculator, typed)
    return _answer(calculator, {k.name: read_text(k, typed[k.name], read_file=read_file) for k in calculator.keys if k.name in typed})


def answer_values(name: str, values: Mapping[str, Any], *, read_file: ReadFile | None = None) -> Answer:
    """Return the answer to inputs that are SI numbers (or lists, or choices) already, as a script sends them."""
    calculator = find(name)
    _refuse_unknown_keys(calculator, values)
    return _answer(calculator, {k.name: _read_value(k, values[k.name], read_file) for k in calculator.keys if k.name in values})


def read_text(key: Key, text: str, *, read_file: ReadFile | None = None) -> Any:
    """Return the value of one key as typed. Raises NotUnderstood or OutOfRange, naming the key."""
    try:
        if len(text) > LONGEST_TEXT:
            raise NotUnderstood(text, why=f"is longer than {LONGEST_TEXT} letters", example=key.example or "1.4")
        if key.kind == "choice":
            return _read_choice(key, text)
        if key.kind == "file":
            return _recording(text, read_file)
        value: Any = parse_list(text, unit=key.unit) if key.kind == "list" else parse_si(text, unit=key.unit)
    except NotUnderstood as fault:
        raise NotUnderstood(f"{key.name}={fault.text}", why=fault.why, example=f"{key.name}={fault.example}") from None
    return _checked(key, value)


def show(item: Key | Result, value: Any) -> str:
    """Return an input or result as it is shown: engineering prefix, unit, and digits worth showing."""
    if value is None:
        return "not known"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, str):
        return dict(item.words).get(value, value) if isinstance(item, Result) else value
    if isinstance(value, list):
        return "; ".join(show(item, v) for v in value) or "none"
    if not isinstance(value, int | float):
        return str(value)
    if item.unit == "" and value == int(value) and abs(value) < 1e6:
        return str(int(value)).replace("-", TRUE_MINUS)
    # What was typed is shown with the digits it was typed with.
    digits = item.digits if isinstance(item, Result) else _digits_of(value)
    signed = isinstance(item, Result) and item.signed
    if item.unit in ("dB", "dBm", "dBµV"):
        whole = abs(value - round(value)) < 1e-9
        number = format_db(value, places=0 if whole else 2 if isinstance(item, Result) and abs(value) < 100 else 1)
        return f"{number if signed else number.lstrip('+')}\u2009{item.unit}"
    if item.unit == "s" and value >= LONG_S:
        return f"{value / 60.0:.3g}\u2009min"
    if item.unit in LOGARITHMIC:
        return format_si(value, unit=item.unit, digits=min(digits, 6), signed=signed) if abs(value) < 1e6 else f"{value:.3g}"
    return format_si(value, unit=item.unit, digits=digits, signed=signed)


def in_words(calculator: Calculator, answer: Answer) -> str:
    """Return the answer as a sentence."""
    says = calculator.says if isinstance(calculator.says, str) else calculator.says(answer.results)
    return says.format_map(_shown(calculator, answer))


def derivation(calculator: Calculator, answer: Answer) -> list[str]:
    """Return how the answer comes about, with the person's own numbers put in."""
    shown = _shown(calculator, answer)
    return [line.format_map(shown) for line in calculator.derivation]


def doubt_of(key: Key, value: Any) -> Doubt | None:
    """Return what to ask about a value whose size cannot be meant, or None."""
    if key.sensible is None or key.kind in ("choice", "file"):
        return None
    values = value if isinstance(value, list) else [value]
    for one in values:
        likely = likely_instead(one, sensible=key.sensible)
        if likely is not None:
            meant = format_si(likely, unit=key.unit, digits=max(3, _digits_of(likely)))
            shown = format_si(one, unit=key.unit, digits=max(3, _digits_of(one)))
            return Doubt(key.name, f"{key.name}: {shown} is out of all scale for “{key.label}”. Was {meant} meant?", meant)
    return None


def _answer(calculator: Calculator, values: dict[str, Any]) -> Answer:
    missing = [k.name for k in calculator.keys if not k.optional and k.name not in values]
    if missing:
        raise NotUnderstood(calculator.name, why=f"wants {' and '.join(missing)} too", example=_example(calculator))
    try:
        found = calculator.compute(**values)
    except CalmNeedleError:
        raise
    except (ArithmeticError, ValueError) as fault:
        raise NoAnswer(f"{', '.join(values)}: these values together have no answer.") from fault
    results = dict(found) if isinstance(found, dict) else found._asdict()
    for name, value in results.items():
        if any(isinstance(x, float) and not math.isfinite(x) for x in (value if isinstance(value, list) else [value])):
            raise NoAnswer(f"{', '.join(values)}: with these values {name} has no finite answer.")
    doubts = tuple(d for k in calculator.keys if k.name in values and (d := doubt_of(k, values[k.name])) is not None)
    return Answer(calculator.name, values, results, calculator.notes, doubts)


def _refuse_unknown_keys(calculator: Calculator, given: Mapping[str, Any]) -> None:
    for name in given:
        if name not in calculator.key_names:
            raise UnknownName(f"key of {calculator.name}", str(name), known=calculator.key_names)


def _read_value(key: Key, value: Any, read_file: ReadFile | None) -> Any:
    if key.kind == "choice":
        return _read_choice(key, value)
    if key.kind == "file":
        return value if isinstance(value, Recording) else _recording(str(value), read_file)
    items = value if key.kind == "list" else [value]
    if not isinstance(items, list) or any(isinstance(x, bool) or not isinstance(x, int | float) for x in items):
        raise OutOfRange(key.name, shown=str(value)[:40], wanted="a list of SI numbers" if key.kind == "list" else "an SI number")
    return _checked(key, value)


def _checked(key: Key, value: Any) -> Any:
    """Refuse what cannot be on any bench, before any sum is done with it."""
    if key.kind == "list":
        if not value:
            raise OutOfRange(key.name, shown="an empty list", wanted="a list of values, parted by semicolons")
        if len(value) > LONGEST_LIST:
            raise OutOfRange(key.name, shown=f"a list of {len(value)}", wanted=f"at most {LONGEST_LIST} values")
    low, high = key.limits
    for one in value if key.kind == "list" else [value]:
        try:
            sound = math.isfinite(one) and low <= one <= high
        except OverflowError:
            sound = False
        if not sound:
            raise OutOfRange(key.name, shown=_number_shown(one, key.unit), wanted=_wanted(key, low, high, one))
        if key.kind == "whole" and one != int(one):
            raise OutOfRange(key.name, shown=f"{one:g}", wanted="a whole number")
    return value


def _wanted(key: Key, low: float, high: float, value: float) -> str:
    """What would be possible, in the words that fit what was wrong."""
    if abs(value) >= MOST_INT or not math.isfinite(value):
        return "a finite number of any bench's size"
    if value <= 0 and 0 < low == POSSIBLE[key.unit][0]:
        return "above zero"
    return f"between {_number_shown(low, key.unit)} and {_number_shown(high, key.unit)}"


def _number_shown(value: float, unit: str) -> str:
    if isinstance(value, int) and abs(value) >= MOST_INT:
        return "a number of hundreds of digits"
    if isinstance(value, float) and not math.isfinite(value):
        return "not a finite number"
    if abs(value) >= 1e15:
        return f"{value:.3g}"[:40]
    return format_si(value, unit=unit, digits=4) if value else f"0\u2009{unit}".rstrip("\u2009")


def _read_choice(key: Key, value: object) -> str:
    if value not in key.choices:
        raise OutOfRange(key.name, shown=f"“{str(value)[:40]}”", wanted=" or ".join(f"“{c}”" for c in key.choices))
    return str(value)


def _recording(name: str, read_file: ReadFile | None) -> Recording:
    if read_file is None:
        raise NotUnderstood(name, why="is a file that cannot be read from here", example="recording.wav")
    try:
        return read_file(name)
    except FileRefused as fault:
        raise NotUnderstood(fault.name, why=fault.faults[0].sentence, example="recording.wav") from None


def _example(calculator: Calculator) -> str:
    return f"compute {calculator.name} " + " ".join(f"{k.name}={k.example or '…'}" for k in calculator.keys if not k.optional)


def _shown(calculator: Calculator, answer: Answer) -> dict[str, str]:
    shown = {r.name: show(r, answer.results[r.name]) for r in calculator.results if r.name in answer.results}
    for key in calculator.keys:
        if key.name in answer.inputs:
            shown.setdefault(key.name, show(key, answer.inputs[key.name]))
        else:
            shown.setdefault(key.name, "(not given)")
    return shown


def _digits_of(value: float) -> int:
    """How many significant digits a typed number has, up to nine."""
    return len(f"{abs(value):.9g}".replace(".", "").split("e")[0].strip("0")) or 1
