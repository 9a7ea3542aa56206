"""What a guided piece of work is made of: stages that ask, judge and say what comes next.

The pieces themselves are data beside small judging functions, one module each; `pieces.py` is the table of them.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from calm_needle.core.quantities import format_plain, parse_list, parse_si
from calm_needle.errors import FieldsRefused, NotUnderstood

State = Literal["good", "watch", "stop"]
Meter = Literal["ohm", "henry", "farad", "dip", "resonance", "travel"]
CorePlace = Literal["", "out", "middle", "in"]
LONGEST_WORDS = 400
OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")
OPEN = float("inf")


class Said(NamedTuple):
    """What a stage says: its state, one sentence on what it means and what to do, and the figures behind it."""

    state: State
    sentence: str
    evidence: tuple[str, ...] = ()


@dataclass(frozen=True)
class Ask:
    """One thing asked. unit None: words; choices: one of them; many: a list of values; meter: what can read it, and of which part.

    core: where the core of the winding stands while it is read; held: the ask that says which capacitor is held across; known: what
    the dossier answers by itself.
    """

    name: str
    label: str
    unit: str | None = None
    hint: str = ""
    choices: tuple[str, ...] = ()
    optional: bool = False
    many: bool = False
    may_be_open: bool = False
    meter: Meter | None = None
    of: Literal["subject", "sister"] = "subject"
    core: CorePlace = ""
    held: str = ""
    known: Literal["", "if_hz"] = ""


class Answers:
    """What was answered so far, by name: numbers in SI, words, lists; and facts that the job knows by itself."""

    def __init__(self, values: Mapping[str, object], facts: Mapping[str, object]) -> None:
        self._values, self._facts = values, facts

    def number(self, name: str) -> float:
        """Return a number that was asked for."""
        value = self._values[name]
        assert isinstance(value, int | float), name
        return float(value)

    def maybe(self, name: str, default: float) -> float:
        """Return a number that may have been left out."""
        return self.number(name) if name in self._values else default

    def text(self, name: str) -> str:
        """Return words or a choice; empty where nothing was written."""
        return str(self._values.get(name, ""))

    def numbers(self, name: str) -> list[float]:
        """Return a list of numbers."""
        value = self._values[name]
        assert isinstance(value, list), name
        return [float(v) for v in value]

    def fact(self, name: str, default: object = None) -> object:
        """Return what the job knows: photographs (count), consent (bool), sister and subject (names), minutes since the first stage."""
        return self._facts.get(name, default)


Judge = Callable[[Answers], Said]


@dataclass(frozen=True)
class Stage:
    """One stage: what it asks and why, and how it judges. irreversible: no way back after it; act: what a practice set then does."""

    name: str
    title: str
    why: str
    asks: tuple[Ask, ...]
    judge: Judge
    irreversible: bool = False
    act: Literal["", "wind", "put across"] = ""


@dataclass(frozen=True)
class Piece:
    """A guided piece of work. subject: the kind of part it is about, empty for none; all_gates: every stage is open from the start.

    repair: what is written into the log of changes when it is through; follow: what comes after; hazards: cautions it calls for.
    """

    name: str
    title: str
    when: str
    stages: tuple[Stage, ...]
    subject: str = ""
    needs_sister: bool = False
    all_gates: bool = False
    repair: str = ""
    follow: tuple[str, ...] = ()
    reckon: tuple[str, ...] = field(default=())
    hazards: tuple[str, ...] = ("soldering",)

    def stage(self, name: str) -> Stage | None:
        """Return a stage by its name, or None."""
        return next((s for s in self.stages if s.name == name), None)


def read_answers(stage: Stage, form: Mapping[str, str]) -> dict[str, object]:
    """Return what was typed for a stage, in SI. Raises FieldsRefused with a sentence for each ask that cannot be taken."""
    out: dict[str, object] = {}
    faults: dict[str, str] = {}
    for ask in stage.asks:
        text = form.get(ask.name, "").strip()[:LONGEST_WORDS]
        if not text:
            if not ask.optional:
                faults[ask.name] = f"{ask.label}: this is wanted."
            continue
        try:
            value = _read(ask, text)
        except NotUnderstood as fault:
            faults[ask.name] = str(fault)
            continue
        if isinstance(value, str) and ask.choices and value not in ask.choices:
            faults[ask.name] = f"Choose one: {', '.join(ask.choices)}."
        elif isinstance(value, float) and value < 0 and ask.unit not in ("dB", "%", "°C"):
            faults[ask.name] = f"{ask.label}: not below zero."
        else:
            out[ask.name] = value
    if faults:
        raise FieldsRefused(faults)
    return out


def show(ask: Ask, value: object) -> str:
    """Return an answer as it is shown, and as it may be typed again."""
    if isinstance(value, list):
        return "; ".join(show(ask, v) for v in value)
    if isinstance(value, int | float) and ask.unit is not None:
        return "open" if value == OPEN else format_plain(float(value), unit=ask.unit)
    return str(value)


def spread(values: Sequence[float]) -> float:
    """Return the spread of readings as a ratio: the largest over the least; 1 for fewer than two."""
    return max(values) / min(values) if len(values) > 1 and min(values) > 0 else 1.0


def _read(ask: Ask, text: str) -> object:
    if ask.unit is None:
        return text
    if ask.many:
        return parse_list(text, unit=ask.unit)
    if ask.may_be_open and text.lower() in OPEN_WORDS:
        return OPEN
    return parse_si(text, unit=ask.unit)
