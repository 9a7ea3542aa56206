"""What a guided piece of work is made of: stages that ask, judge and say what comes next.

The pieces themselves are data beside small judging functions, one module each; `pieces.py` is the table of them.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from calm_needle.core import form
from calm_needle.core.quantities import format_plain
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused

Meter = Literal["ohm", "henry", "farad", "dip", "resonance", "travel", "wire", "mean diameter", "width", "depth"]
# What is read of a set that is off: a lead is lifted for it, and an ohmmeter on live rails is wrong at best.
READ_COLD: frozenset[Meter] = frozenset({"ohm", "henry", "farad", "dip", "resonance"})
# What a job may know by itself from what was read before: of the dossier, the bench, the sweep of the parts, the safe start.
Known = Literal["", "if_hz", "turns_tried", "change_db", "ohm", "rail_percent", "rail_tolerance_percent", "minutes_on", "label"]
CorePlace = Literal["", "out", "middle", "in"]
OPEN = form.OPEN


@dataclass(frozen=True)
class Ask(form.Ask):
    """One thing asked in a piece of work. meter: what can read it, and of which part.

    core: where the core of the winding stands while it is read; held: the ask that it hangs on, a capacitor held across or a length of
    wire; known: what the job may answer by itself, from what was read before.
    """

    meter: Meter | None = None
    of: Literal["subject", "sister"] = "subject"
    core: CorePlace = ""
    held: str = ""
    known: Known = ""


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

    def has(self, name: str) -> bool:
        """Whether something was answered; an earlier version may not have asked it."""
        return name in self._values

    def text(self, name: str) -> str:
        """Return words or a choice; empty where nothing was written."""
        return str(self._values.get(name, ""))

    def numbers(self, name: str) -> list[float]:
        """Return a list of numbers."""
        value = self._values[name]
        assert isinstance(value, list), name
        return [float(v) for v in value]

    def fact(self, name: str, default: object = None) -> object:
        """Return what the job knows: photographs and leads pinned on them (counts), consent and start_done (whether)."""
        return self._facts.get(name, default)


Judge = Callable[[Answers], Verdict]


@dataclass(frozen=True)
class Stage:
    """One stage: what it asks and why, and how it judges. irreversible: no way back after it; act: what a practice set then does."""

    name: str
    title: str
    why: str
    asks: tuple[Ask, ...]
    judge: Judge
    irreversible: bool = False
    act: Literal["", "wind", "put across", "splice"] = ""


@dataclass(frozen=True)
class Piece:
    """A guided piece of work. subject: the kind of part it is about, empty for none; mends: whether that part is whole again after it;
    all_gates: every stage is open from the start.

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


def read_answers(stage: Stage, typed: Mapping[str, str]) -> dict[str, object]:
    """Return what was typed for a stage, in SI. Raises FieldsRefused with a sentence for each ask that cannot be taken."""
    read = form.read_form(stage.asks, typed)
    if read.faults:
        raise FieldsRefused(read.faults)
    return read.values


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
