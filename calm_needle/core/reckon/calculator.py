"""What a calculator is: keys, results, the function, and all that a page needs to show it. No calculator in here."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from calm_needle.core.pictures import Picture

Kind = Literal["number", "whole", "list", "choice", "file"]
Group = Literal[
    "levels and coupling",
    "tuned circuits and transformers",
    "tracking and dial",
    "frequency and modulation",
    "sensitivity and noise",
    "parts and coils",
    "supply",
]
GROUPS: tuple[Group, ...] = get_args(Group)
LONGEST_LIST = 4096
# What a value may be at all, by its unit: beyond it nothing on a bench lies, and sums would overflow.
POSSIBLE: dict[str, tuple[float, float]] = {
    "Hz": (1e-3, 1e12),
    "H": (1e-12, 1e4),
    "F": (1e-16, 10.0),
    "V": (1e-12, 1e6),
    "A": (1e-12, 1e5),
    "W": (1e-18, 1e9),
    "s": (1e-6, 1e9),
    "Ω": (1e-6, 1e12),
    "m": (1e-7, 1e6),
    "": (1e-9, 1e12),
    "%": (1e-9, 1e6),
    "ppm": (0.0, 1e6),
    "dB": (-400.0, 400.0),
    "dBm": (-300.0, 300.0),
    "dBµV": (-300.0, 300.0),
    "°C": (-200.0, 300.0),
    "turn": (-1e4, 1e4),
}


@dataclass(frozen=True)
class Key:
    """One input: its name, SI unit and label; `example` stands in the field to begin with.

    signed: zero and minus are possible. zero: zero is possible. low, high: narrower limits than the unit's own.
    sensible: the range in which such a quantity is met; outside it is asked about. known: what of a dossier fills it in.
    """

    name: str
    unit: str = ""
    label: str = ""
    example: str = ""
    kind: Kind = "number"
    choices: tuple[str, ...] = ()
    optional: bool = False
    signed: bool = False
    zero: bool = False
    low: float | None = None
    high: float | None = None
    sensible: tuple[float, float] | None = None
    known: str = ""
    hint: str = ""

    @property
    def limits(self) -> tuple[float, float]:
        """The least and most this key can be."""
        least, most = POSSIBLE[self.unit]
        if self.signed:
            least = -most
        elif self.zero:
            least = 0.0
        return (least if self.low is None else self.low), (most if self.high is None else self.high)


@dataclass(frozen=True)
class Result:
    """One result: its name, label, unit, how many digits are worth showing, and how a page puts its names into words."""

    name: str
    label: str
    unit: str = ""
    digits: int = 4
    signed: bool = False
    words: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Calculator:
    """A named calculator.

    says: the answer as a sentence, {name} standing for a shown input or result, or which sentence fits the results.
    derivation: lines of the same kind.
    picture: from inputs and results to what is to be drawn.
    """

    name: str
    title: str
    group: Group
    purpose: str
    keys: tuple[Key, ...]
    compute: Callable[..., Any]
    results: tuple[Result, ...]
    says: str | Callable[[Mapping[str, Any]], str]
    derivation: tuple[str, ...]
    notes: tuple[str, ...]
    picture: Callable[[Mapping[str, Any], Mapping[str, Any]], Picture]

    @property
    def key_names(self) -> tuple[str, ...]:
        return tuple(key.name for key in self.keys)

    def key(self, name: str) -> Key:
        return next(k for k in self.keys if k.name == name)


@dataclass(frozen=True)
class Answer:
    """What a calculator says: its inputs in SI, its results in SI, its notes; what to ask back about."""

    name: str
    inputs: dict[str, Any]
    results: dict[str, Any]
    notes: tuple[str, ...]
    doubts: tuple["Doubt", ...] = ()

    def as_dict(self) -> dict[str, Any]:
        notes = [*self.notes, *(d.question for d in self.doubts)]
        return {"name": self.name, "inputs": _plain(self.inputs), "results": self.results, "notes": notes}


@dataclass(frozen=True)
class Doubt:
    """A quantity whose size cannot be meant: the key, the question, and the likely meaning as it would be typed."""

    key: str
    question: str
    likely: str


def _plain(inputs: Mapping[str, Any]) -> dict[str, Any]:
    """Inputs as JSON can hold them: a recording is given by its name."""
    return {k: v if isinstance(v, int | float | str | list) else str(v) for k, v in inputs.items()}
