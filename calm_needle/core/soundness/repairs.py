"""Changes made to a set: one at a time with a quick test after each, and who gets the credit."""

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

# What can be done to a part; those after which its old measurements no longer count.
KINDS = ("replaced", "wound anew", "mended", "cleaned", "moved")
NEW = ("replaced", "wound anew")
UNDER_THE_IRON = (*NEW, "mended")
OUTCOMES = ("better", "as before", "worse")
HOW_TESTED = {"on": "with the set on", "cold": "cold, by a meter"}


class Detail(NamedTuple):
    """Something that is written down with a change of a kind, and cannot be found out afterwards: its field, what is asked, its choices."""

    name: str
    label: str
    choices: tuple[str, ...] = ()


DIRECTION = ("clockwise", "anticlockwise")
# What is demanded with each kind of change; each goes into its words.
DETAILS: dict[str, tuple[Detail, ...]] = {
    "wound anew": (
        Detail("direction", "Direction, seen from the free end", DIRECTION),
        Detail("start_lead", "start goes to"),
        Detail("finish_lead", "finish goes to"),
    ),
}
OLD_PART = ("not said", "kept with the set", "kept elsewhere", "thrown away")


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


class Fault(NamedTuple):
    """A fault of the set: its part's name, when it was found, and what became of it."""

    name: str
    found_utc: str
    state: Literal["open", "changed, not tested since", "closed"]
    words: str


def in_the_order_found(found: Mapping[str, str], *, names: Mapping[str, str], repairs: Sequence[Repair]) -> list[Fault]:
    """Return the faults that were found, oldest first, each closed by the retest after its own change and by nothing else.

    found: part to when it was first found to be out; names: what each is called.
    """
    waiting = {r.id for r in untested(repairs)}
    out = []
    for part, at_utc in sorted(found.items(), key=lambda item: item[1]):
        mended = [r for r in repairs if r.part == part and r.at_utc >= at_utc and r.what in UNDER_THE_IRON]
        if not mended:
            out.append(Fault(names.get(part, part), at_utc, "open", ""))
            continue
        test = next((r.test for r in repairs if r.id >= mended[-1].id and r.test), None)
        closed = test is not None and mended[-1].id not in waiting
        said = f"{test.outcome}: {test.words}" if test else ""
        out.append(Fault(names.get(part, part), at_utc, "closed" if closed else "changed, not tested since", said))
    return out


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
