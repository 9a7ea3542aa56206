"""A worry is settled by tests, never by feel: only a test that failed accuses, one not done is to do, all passed make a characteristic."""

from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.verdict import State, Verdict


class Settling(NamedTuple):
    """One test that bears on a worry: what it is, its state (good: passed, stop: failed, blank: not done, watch: done and undecided), its
    figure, and a word by which people name it."""

    name: str
    state: State
    figure: str
    known_by: str


def settled_by(named: Sequence[Settling]) -> Verdict:
    """Return what the tests that were named say together."""
    evidence = tuple(f"{t.name}: {t.figure}" for t in named)
    if failed := [t.name for t in named if t.state == "stop"]:
        return Verdict("stop", f"A fault, by {' and '.join(failed)}.", evidence)
    if undone := [t.name for t in named if t.state == "blank"]:
        return Verdict("watch", f"Not settled: {', '.join(undone)} to be done.", evidence)
    if undecided := [t.name for t in named if t.state != "good"]:
        return Verdict("watch", f"Not settled: {', '.join(undecided)} undecided. Measure again.", evidence)
    return Verdict("good", "All that it named has passed: a characteristic.", evidence)
