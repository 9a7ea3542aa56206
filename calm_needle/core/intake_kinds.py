"""What is asked when a set comes in: papers and how far they can be trusted, purpose, earlier hands, consent, what is waited for, worth.

Each kind is a short form of named fields; `check` refuses what cannot stand in a record, and `worth_it` judges the last kind.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.quantities import parse_si
from calm_needle.errors import FieldsRefused, NotUnderstood

LONGEST = 400
WORTH_STOP = 1.0  # times the value: more than that is not spent without another reason
WORTH_ASK = 0.6


@dataclass(frozen=True)
class Field:
    """One thing asked: its name and label; choices for a choice, number for a plain number."""

    name: str
    label: str
    hint: str = ""
    choices: tuple[str, ...] = ()
    number: bool = False
    optional: bool = False


@dataclass(frozen=True)
class IntakeKind:
    """A kind of entry: what it is called, why it is asked, its fields; `closes` names what ends it, where something does."""

    name: str
    title: str
    why: str
    fields: tuple[Field, ...]
    closes: str = ""


class Worth(NamedTuple):
    """Cost to finish, least and most, what to do, and why."""

    low: float
    high: float
    advice: str
    sentence: str


KINDS: dict[str, IntakeKind] = {
    k.name: k
    for k in (
        IntakeKind(
            "paper",
            "Papers",
            "Targets from a sister model’s papers stay unverified until a reading here confirms them.",
            (
                Field("title", "Paper", "service sheet, diagram, a tip and whose"),
                Field("trust", "Is it", choices=("this model’s own", "a sister model’s", "none: worked out at the bench")),
                Field("differences", "Differences met", optional=True),
            ),
        ),
        IntakeKind(
            "purpose",
            "Owner’s purpose",
            "It decides how far to go, and where in the band to peak.",
            (Field("use", "What is it for?", "one local station, the whole dial, on show"), Field("bands", "Bands, the most wanted first")),
        ),
        IntakeKind(
            "earlier hands",
            "What earlier hands have left",
            "Parts beside a repair are suspect too.",
            (Field("place", "Where"), Field("seen", "What is seen", "melted wax, a wrong value, a core driven down")),
        ),
        IntakeKind(
            "consent",
            "Changes that cannot be undone",
            "Asked before, with the owner’s word and its day; the old part stays with the set.",
            (
                Field("change", "The change"),
                Field("reversible", "Can it be undone?", choices=("yes", "no")),
                Field("agreed", "Who agreed, and when"),
            ),
        ),
        IntakeKind(
            "waiting",
            "Waited for",
            "What is held up by it, and what can go on meanwhile.",
            (Field("item", "What"), Field("blocks", "Holds up"), Field("meanwhile", "Meanwhile", optional=True)),
            closes="It has come",
        ),
        IntakeKind(
            "worth",
            "Is it worth it?",
            "Must-pass tests come before money: aerial coils, transformer, gang.",
            (
                Field("hours_low", "Hours, at least", number=True),
                Field("hours_high", "at most", number=True),
                Field("rate", "Money an hour", number=True),
                Field("parts_low", "Parts, at least", number=True),
                Field("parts_high", "at most", number=True),
                Field("value", "What it is worth, done", number=True),
            ),
        ),
    )
}


def check(kind: IntakeKind, form: Mapping[str, str]) -> dict[str, str]:
    """Return what was typed, field by field. Raises FieldsRefused with a sentence for each that cannot stand."""
    out, faults = {}, {}
    for field in kind.fields:
        text = form.get(field.name, "").strip()[:LONGEST]
        out[field.name] = text
        if not text:
            if not field.optional:
                faults[field.name] = f"{field.label.rstrip('?')}: this is wanted."
        elif field.choices and text not in field.choices:
            faults[field.name] = f"Choose one: {', '.join(field.choices)}."
        elif field.number:
            try:
                if parse_si(text, unit="") < 0:
                    faults[field.name] = f"{field.label}: not below zero."
            except NotUnderstood as fault:
                faults[field.name] = str(fault)
    if not faults and kind.name == "worth":
        for low, high in (("hours_low", "hours_high"), ("parts_low", "parts_high")):
            if parse_si(out[high], unit="") < parse_si(out[low], unit=""):
                faults[high] = "At most is less than at least."
    if faults:
        raise FieldsRefused(faults)
    return out


def worth_it(entry: Mapping[str, str]) -> Worth:
    """Return the cost to finish with its range, against what the set is worth. entry: as check() returned it."""
    number = {k: parse_si(entry[k], unit="") for k in ("hours_low", "hours_high", "rate", "parts_low", "parts_high", "value")}
    low = number["hours_low"] * number["rate"] + number["parts_low"]
    high = number["hours_high"] * number["rate"] + number["parts_high"]
    said = f"{low:.0f} to {high:.0f} to finish, against {number['value']:.0f}."
    if low > WORTH_STOP * number["value"]:
        return Worth(low, high, "stop", f"{said} Even the least is more than it is worth: stop, unless it is wanted for itself.")
    if high > WORTH_ASK * number["value"]:
        return Worth(low, high, "ask", f"{said} It may come to most of what it is worth: must-pass tests first, then ask the owner.")
    return Worth(low, high, "go", f"{said} Go on.")
