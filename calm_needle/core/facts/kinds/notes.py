"""Intake and bench notes: one kind of fact for each kind of entry, and what came of it."""

from functools import partial

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import LATER, SUSPECTED, Context, FactKind, Want
from calm_needle.core.soundness.entry_kinds import KINDS as ENTRIES
from calm_needle.core.soundness.entry_kinds import EntryKind

OUTCOME = "outcome"
SETTLED_BY_A_TEST = ("suspicion", "worry")


def in_words(entry: EntryKind, fact: Fact) -> str:
    """Return an entry in one line: its first field, and the others with their labels."""
    first, *others = (str(fact.detail.get(f.name, "")) for f in entry.fields)
    more = [f"{f.label.lower()}: {text}" for f, text in zip(entry.fields[1:], others, strict=True) if text]
    return f"{first} ({'; '.join(more)})" if more else first


def _wants(entry: EntryKind, fact: Fact, context: Context) -> Want | None:
    said = context.answers(fact)
    if not entry.outcomes or (said and said[-1].detail["outcome"]):
        return None
    rank = SUSPECTED if entry.name in SETTLED_BY_A_TEST else LATER
    return Want(f"{entry.title}: {in_words(entry, fact)}.", "Enter the outcome", entry.page, rank)


def _kind(entry: EntryKind) -> FactKind:
    def line(fact: Fact, model: Model) -> str:
        return in_words(entry, fact)

    return FactKind(entry.name, entry.title, entry.page, line, wants=partial(_wants, entry))


def _outcome(fact: Fact, model: Model) -> str:
    said, words = fact.detail["outcome"], fact.detail["words"]
    return f"{said or 'reopened'}{f': {words}' if words else ''}"


KINDS = (
    *map(_kind, ENTRIES.values()),
    FactKind(OUTCOME, "Outcome of a note", "notes", _outcome, identity=lambda fact: (fact.about,)),
)
