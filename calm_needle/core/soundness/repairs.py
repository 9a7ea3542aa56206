"""Changes made to a set: one at a time with a quick test after each, and who gets the credit."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

# What can be done to a part; those after which its old measurements no longer count.
KINDS = ("replaced", "wound anew", "mended", "cleaned", "moved")
NEW = ("replaced", "wound anew")
OUTCOMES = ("better", "as before", "worse")


class QuickTest(NamedTuple):
    """A quick test: what came of it, with which figure, when."""

    outcome: str
    words: str
    at_utc: str


class Repair(NamedTuple):
    """One change: its number, part, what was done, the new part's value (SI), words, when, and its quick test if there was one."""

    id: int
    part: str
    what: str
    value: float | None
    words: str
    at_utc: str
    test: QuickTest | None


def untested(repairs: Sequence[Repair]) -> list[Repair]:
    """Return the changes after which nothing was tested: those since the last one that was."""
    out: list[Repair] = []
    for repair in repairs:
        out = [] if repair.test else [*out, repair]
    return out


def shared_credit(repairs: Sequence[Repair]) -> list[str]:
    """Return a sentence for each test that came after more than one change: they share what it says.

    What was done in one go (the sections of a can) is one change.
    """
    out, since = [], []
    for repair in repairs:
        since.append(repair)
        if repair.test:
            if len({r.at_utc for r in since}) > 1:
                parts = ", ".join(r.part for r in since[:-1])
                out.append(f"{parts} and {repair.part} share the credit of “{repair.test.outcome}”: nothing was tested between them.")
            since = []
    return out


def overruled(repairs: Sequence[Repair], *, cans: Mapping[str, Sequence[str]]) -> list[str]:
    """Return a sentence for each can of which some sections were replaced and others left: they are of one age. cans: name to sections."""
    return [
        f"{can}: {', '.join(left)} was left, though its sections are of one age. To be looked at again within a year of {at_utc[:10]}."
        for can, left, at_utc in left_in_cans(repairs, cans=cans)
    ]


def left_in_cans(repairs: Sequence[Repair], *, cans: Mapping[str, Sequence[str]]) -> list[tuple[str, list[str], str]]:
    """Return each can of which some sections were replaced: its name, the sections that were left, when the last one was replaced."""
    new = {r.part: (r.id, r.at_utc) for r in repairs if r.what in NEW}
    out = []
    for can, sections in cans.items():
        left = [s for s in sections if s not in new]
        if left and len(left) < len(sections):
            out.append((can, left, max(new[s] for s in sections if s in new)[1]))
    return out
