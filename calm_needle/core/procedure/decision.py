"""A decision at the end of a group: what was found, what can be done, what is advised and why.

What may be decided is listed by the group's `decides` (decisions.DECISIONS); each option carries the groups that a run then goes through.
"""

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple

Tone = Literal["good", "live", "watch", "danger", "calm"]


class Curve(NamedTuple):
    """Errors over a scale: frequencies and errors (Hz)."""

    at_hz: tuple[float, ...]
    error_hz: tuple[float, ...]


class Option(NamedTuple):
    """One way on. words: what it comes to, in a sentence with its figures. costs: what it comes to beside the others, label and figure.
    groups: what is then gone through, as a plan writes it. curve: what is predicted."""

    id: str
    label: str
    words: str
    costs: tuple[tuple[str, str], ...] = ()
    groups: tuple[Mapping[str, Any], ...] = ()
    curve: Curve | None = None
    steps: tuple[str, ...] = ()


class Found(NamedTuple):
    """Something to be recorded with the decision. accuses: the part, or none."""

    subject: str
    sentence: str
    evidence: str
    accuses: str | None = None
    cause: str = ""


class Picture(NamedTuple):
    """What is drawn of it: errors as read, as worked out between, the tolerance either way (Hz, at each frequency of `fitted`)."""

    band: str
    read: Curve
    fitted: Curve
    tolerance_hz: tuple[float, ...]


class Decision(NamedTuple):
    """advised: the option's id. `detail` is kept with the act."""

    title: str
    sentence: str
    evidence: str
    options: Sequence[Option]
    advised: str
    tone: Tone = "live"
    found: Sequence[Found] = ()
    picture: Picture | None = None
    detail: Mapping[str, Any] = {}

    def option(self, option_id: str) -> Option | None:
        """Return an option by its id; None for one that is not offered."""
        return next((o for o in self.options if o.id == option_id), None)
