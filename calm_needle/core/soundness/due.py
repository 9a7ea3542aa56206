"""What is to be looked at again, and when: after minutes of power, on another day, after so many days.

A part that was cleared by one lucky sweep, a can of which half was left, a new resistor that may be too small for its watts: each is put
down by the program, and goes when it has been looked at.
"""

from collections.abc import Sequence
from typing import Literal, NamedTuple

LOOK_AFTER_MIN = 10.0  # of full power: by then a part that is too small for its watts is hot
ASK_AFTER_DAYS = 14
CAN_AFTER_DAYS = 365
BRIDGE_AFTER_MIN = 60.0


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


def ask_after(item: str, *, days: int, expected_in: int | None = None) -> Look:
    """Return the reminder for something that is waited for since so many days; expected_in: days until it was said to come."""
    said = f"{item} is waited for: ask after it"
    if expected_in is None:
        return _after(said, days, ASK_AFTER_DAYS)
    if expected_in < 0:
        return Look(said, "due", f"now, it was to come {-expected_in} {'day' if expected_in == -1 else 'days'} ago")
    return Look(said, "later", "it is to come today" if expected_in == 0 else f"it is to come in {expected_in} days")


def measure_again(part: str, *, minutes: float) -> Look:
    """Return the second measurement of a bridge in a fine wire, so many minutes after it was made: a poor joint shows warm."""
    said = f"{part} was bridged: measure it again, a poor joint shows after an hour on"
    if minutes >= BRIDGE_AFTER_MIN:
        return Look(said, "due", "now")
    return Look(said, "later", f"in {BRIDGE_AFTER_MIN - minutes:.0f} minutes")


def sweep_again(control: str, *, days: int) -> Look:
    """Return the second sweep of a control that was clean once."""
    said = f"{control} was clean over one sweep: that clears no weak kind, sweep it again"
    return Look(said, "due", "today") if days >= 1 else Look(said, "later", "on another day")


def peak_again(item: str) -> Look:
    """Return the peaking that is due because a tuned part was moved while something was cleaned."""
    return Look(f"a tuned part was moved when {item} was cleaned: peak its circuit again", "due", "now")


def predicted(quantity: str, *, when: str, reached: bool) -> Look:
    """Return the look at a figure that was predicted. reached: whether the time at which it was to be looked at has come."""
    return Look(f"{quantity} was predicted: read it and compare", "due" if reached else "later", when)


def in_order(looks: Sequence[Look]) -> list[Look]:
    """Return what is due before what comes later, otherwise as given."""
    return sorted(looks, key=lambda look: look.state != "due")


def _after(sentence: str, days: int, due_after: int) -> Look:
    if days >= due_after:
        return Look(sentence, "due", f"now, after {days} days")
    return Look(sentence, "later", "tomorrow" if due_after - days == 1 else f"in {due_after - days} days")
