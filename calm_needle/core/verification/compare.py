"""Like with like: two figures are compared where they were measured alike, and otherwise it is said what differs."""

from collections.abc import Mapping
from typing import Any, NamedTuple

NEAR_HZ = 0.02  # of the frequency: the same point of the dial
# What must be the same, and how one says that it is not.
CONDITIONS: dict[str, str] = {
    "definition": "by another definition",
    "coupling": "coupled otherwise",
    "goes_in": "fed in elsewhere",
    "depth": "at another depth",
    "tone_hz": "with another tone",
    "load_ohm": "into another load",
    "cover": "with the covers otherwise",
}


class Compared(NamedTuple):
    """The difference, where there is one to be told; otherwise what differs in how the two were measured."""

    alike: bool
    differs: tuple[str, ...]


def compared(one: Mapping[str, Any], other: Mapping[str, Any]) -> Compared:
    """Return whether two measurements' conditions (with `band`, `at_hz` and those of CONDITIONS) allow a comparison.

    What was not noted on one side is not held against it, but its frequency and band are.
    """
    differs = [words for name, words in CONDITIONS.items() if one.get(name) and other.get(name) and one[name] != other[name]]
    if one.get("band") != other.get("band"):
        differs.append("on another band")
    a, b = one.get("at_hz"), other.get("at_hz")
    if a and b and abs(a / b - 1.0) > NEAR_HZ:
        differs.append("at another frequency")
    return Compared(not differs, tuple(differs))
