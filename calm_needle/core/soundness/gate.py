"""The gate before alignment, and the gate before a job closes: what is missing, and whether somebody has waived it.

A set that is not sound is repaired first: aligning a fault hides it.
"""

from collections.abc import Collection, Sequence
from typing import NamedTuple

from calm_needle.core.procedure.phases import PHASES
from calm_needle.core.soundness.complaints import Complaint, unsettled

ALIGNMENT = tuple(phase.name for phase in PHASES if phase.gated)
BEFORE_ALIGNMENT = ("safe start", "health")
WHY = {
    "safe start": "rails and current under a limiter, watched while it warms",
    "health": "parts, windings and every band alive: aligning a fault hides it",
}


class Gate(NamedTuple):
    """Whether the way is open, what is missing, the reason of a waiver, and one sentence on it."""

    open: bool
    missing: tuple[str, ...]
    waived: str | None
    sentence: str


def alignment_gate(*, done: Collection[str], waived: str | None, covers: Collection[str] = BEFORE_ALIGNMENT) -> Gate:
    """Return whether a set may be aligned: safe start and health are done, or a person has waived them with a reason.

    covers: the phases that the waiver was given for; one that was opened again since is not among them.
    """
    missing = tuple(f"{phase}: {WHY[phase]}" for phase in BEFORE_ALIGNMENT if phase not in done)
    if not missing:
        return Gate(True, (), waived, "Safe start and health have passed; the set may be aligned.")
    names = " and ".join(phase for phase in BEFORE_ALIGNMENT if phase not in done)
    beyond = [phase for phase in BEFORE_ALIGNMENT if phase not in done and phase not in covers]
    if waived and beyond:
        again = " and ".join(beyond)
        return Gate(False, missing, waived, f"Not yet: {again} first. What was waived was waived before that was opened again ({waived}).")
    if waived:
        return Gate(True, missing, waived, f"Waived, though {names} {'is' if len(missing) == 1 else 'are'} not done: {waived}")
    return Gate(False, missing, None, f"Not yet: {names} first.")


def closing_gate(*, complaints: Sequence[Complaint], last_change: tuple[str, int] | None = None, open_ends: Sequence[str] = ()) -> Gate:
    """Return whether a job may close: every complaint was retested, after the last change, and nothing else is left open.

    last_change: the part and the id of what was changed last; open_ends: what else is open, in words.
    """
    missing = [f"“{c.words}” is {c.state}" for c in unsettled(complaints)]
    if last_change:
        part, change = last_change
        before = [c for c in complaints if c.settled and c.retests[-1].after_repair < change]
        missing += [f"“{c.words}” was tested before {part} was changed: test it again" for c in before]
    missing += [
        f"“{c.words}” was tested {'with the covers off' if c.retests[-1].cover else 'before covers were logged'}: test it in its cabinet"
        for c in complaints
        if c.settled and c.retests[-1].cover != "on"
    ]
    if missing:
        return Gate(False, (*missing, *open_ends), None, "Not yet: every complaint is tested again before a job closes.")
    if open_ends:
        return Gate(False, tuple(open_ends), None, "Not yet: what was left open is settled before a job closes.")
    return Gate(True, (), None, "Every complaint was tested again.")
