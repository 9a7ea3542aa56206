"""What is to be looked at again, and when: after minutes of power, on another day, after so many days.

A part that was cleared by one lucky sweep, a can of which half was left, a new resistor that may be too small for its watts: each is put
down by the program, and goes when it has been looked at.
"""

from collections.abc import Sequence
from typing import Literal, NamedTuple

LOOK_AFTER_MIN = 10.0  # of full power: by then a part that is too small for its watts is hot
ASK_AFTER_DAYS = 14
CAN_AFTER_DAYS = 365


class Look(NamedTuple):
    """Something to look at again: what and why in one sentence; due now, or later and when; whether the set is on for it."""

    sentence: str
    state: Literal["due", "later"]
    when: str
    while_on: bool = False


def warm_look(part: str, *, on_min: float) -> Look:
    """Return the look at a new resistor's temperature; on_min: minutes that the set has been at full power, 0 when it is off."""
    said = f"{part} is new: look how warm it gets, without touching it"
    if on_min >= LOOK_AFTER_MIN:
        return Look(said, "due", f"now, {on_min:.0f} minutes on", while_on=True)
    return Look(said, "later", f"after {LOOK_AFTER_MIN:.0f} minutes at full power", while_on=True)


def another_day(part: str, *, days: int) -> Look:
    """Return the second measurement of a part of a kind known to be weak, which has passed once so many days ago."""
    said = f"{part} is of a kind known to be weak and has passed once: measure it again"
    return Look(said, "due", "today") if days >= 1 else Look(said, "later", "on another day")


def rest_of_can(can: str, *, left: Sequence[str], days: int) -> Look:
    """Return the look at the sections of a can that were left though another was replaced so many days ago."""
    return _after(f"{can}: {', '.join(left)} was left, of one age with what was replaced", days, CAN_AFTER_DAYS)


def ask_after(item: str, *, days: int) -> Look:
    """Return the reminder for something that is waited for since so many days."""
    return _after(f"{item} is waited for: ask after it", days, ASK_AFTER_DAYS)


def in_order(looks: Sequence[Look]) -> list[Look]:
    """Return what is due before what comes later, otherwise as given."""
    return sorted(looks, key=lambda look: look.state != "due")


def _after(sentence: str, days: int, due_after: int) -> Look:
    if days >= due_after:
        return Look(sentence, "due", f"now, after {days} days")
    return Look(sentence, "later", "tomorrow" if due_after - days == 1 else f"in {due_after - days} days")
