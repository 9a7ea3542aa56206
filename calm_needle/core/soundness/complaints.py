"""Complaints and their closure: what was complained of on the first day is tested again before the job closes.

A complaint is settled when its last retest found it gone, or found that it is a characteristic of the set and no fault. The second
needs the figures that settle it: a worry that nothing measurable supports is believed only after it was measured.
"""

from collections.abc import Iterable
from typing import Literal, NamedTuple

from calm_needle.errors import FieldsRefused

Outcome = Literal["gone", "still there", "a characteristic"]
OUTCOMES: tuple[Outcome, ...] = ("gone", "still there", "a characteristic")
SETTLING = ("gone", "a characteristic")
FEWEST_WORDS = 3  # of a figure and what it is of


class Retest(NamedTuple):
    """One retest: what came of it, in words and figures, when (ISO 8601 UTC), after which change (its id; 0 before any), with
    the covers on or off (empty where nobody has said it)."""

    outcome: str
    words: str
    at_utc: str
    after_repair: int = 0
    cover: str = ""


class Complaint(NamedTuple):
    """One complaint: its number, words, where on the dial or with which controls, when it was first made, and its retests in order."""

    id: int
    words: str
    place: str
    opened_utc: str
    retests: tuple[Retest, ...]

    @property
    def state(self) -> str:
        """What the last retest says, or "not yet retested"."""
        return self.retests[-1].outcome if self.retests else "not yet retested"

    @property
    def settled(self) -> bool:
        """Whether it no longer keeps the job open."""
        return self.state in SETTLING


def unsettled(complaints: Iterable[Complaint]) -> list[Complaint]:
    """Return the complaints that keep a job open, in their order."""
    return [c for c in complaints if not c.settled]


def check_retest(*, outcome: str, words: str, cover: str) -> Outcome:
    """Return the outcome of a retest as typed. Raises FieldsRefused, naming the fields, for one that cannot stand in a record."""
    faults = {}
    if outcome not in OUTCOMES:
        faults["outcome"] = f"Say what came of it: {', '.join(OUTCOMES)}."
    if cover not in ("on", "off"):
        faults["cover"] = "Were the covers on or off? The last retest is made with the set in its cabinet."
    if faults:
        raise FieldsRefused(faults)
    if outcome == "a characteristic" and (len(words.split()) < FEWEST_WORDS or not any(c.isdigit() for c in words)):
        raise FieldsRefused(
            {"words": "A characteristic is believed with the figure that settles it: sensitivity, dial error, noise rise with an aerial."}
        )
    return next(o for o in OUTCOMES if o == outcome)
