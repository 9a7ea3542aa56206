"""Reading what was typed into a form: each ask in its own unit or among its choices, refused whole with a sentence for each fault."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.quantities import parse_list, parse_si
from calm_needle.errors import NotUnderstood

LONGEST = 400
OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")
OPEN = float("inf")
MAY_BE_NEGATIVE = ("dB", "%", "°C", "turn", "ppm")


@dataclass(frozen=True)
class Ask:
    """One thing asked. unit None: words; choices: one of them; many: a list of values; may_be_open: an open circuit is an answer."""

    name: str
    label: str
    unit: str | None = None
    hint: str = ""
    choices: tuple[str, ...] = ()
    optional: bool = False
    many: bool = False
    may_be_open: bool = False


class Typed(NamedTuple):
    """What was typed: as text, as values (SI), and what is wrong with each."""

    texts: dict[str, str]
    values: dict[str, object]
    faults: dict[str, str]


def read_form(asks: Iterable[Ask], form: Mapping[str, str]) -> Typed:
    """Return what was typed for these asks; empty ones that are optional have no value."""
    out = Typed({}, {}, {})
    for ask in asks:
        text = out.texts[ask.name] = form.get(ask.name, "").strip()[:LONGEST]
        if not text:
            if not ask.optional:
                out.faults[ask.name] = f"{ask.label.rstrip('?')}: this is wanted."
            continue
        if ask.choices and text not in ask.choices:
            out.faults[ask.name] = f"Choose one: {', '.join(ask.choices)}."
            continue
        try:
            value = read(ask, text)
        except NotUnderstood as fault:
            out.faults[ask.name] = str(fault)
            continue
        if isinstance(value, float) and value < 0 and ask.unit not in MAY_BE_NEGATIVE:
            out.faults[ask.name] = f"{ask.label}: not below zero."
        else:
            out.values[ask.name] = value
    return out


def read(ask: Ask, text: str) -> object:
    """Return the value of what was typed for one ask: words, a number in SI, or a list of them. Raises NotUnderstood."""
    if ask.unit is None:
        return text
    if ask.many:
        return parse_list(text, unit=ask.unit)
    if ask.may_be_open and text.lower() in OPEN_WORDS:
        return OPEN
    return parse_si(text, unit=ask.unit)
