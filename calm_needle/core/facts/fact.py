"""One fact of a job, and how its subject is written."""

from collections.abc import Mapping
from typing import Any, NamedTuple

SET = "set"  # the subject of what is about the whole set


class Fact(NamedTuple):
    """One fact: its number in the journal, kind, subject, payload, when it happened (ISO 8601 UTC), and the fact that it is about.

    The journal is ordered by number and never by a clock, which may be put back. subject: `part:R7`, `point:V4-a`, `band:MW`,
    `stage:mixer`, `phase:…` or `set`, by the model's own identifiers. detail: SI units, by the fields of its kind.
    """

    id: int
    kind: str
    subject: str
    detail: Mapping[str, Any]
    happened_utc: str
    about: int | None = None

    @property
    def subject_id(self) -> str:
        """The identifier of its subject, without what kind of thing it is."""
        return self.subject.partition(":")[2]

    @property
    def day(self) -> str:
        return self.happened_utc[:10]


def subject(what: str, identifier: str) -> str:
    """Return a subject as the journal writes it."""
    return f"{what}:{identifier}"
