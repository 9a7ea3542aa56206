"""Intake and bench notes: one kind of fact for each kind of entry, and what came of it."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import LATER, SUSPECTED, Context, FactKind, Want
from calm_needle.core.facts.kinds.repairs import REPAIR
from calm_needle.core.soundness.entry_kinds import KINDS as ENTRIES
from calm_needle.core.soundness.entry_kinds import EntryKind

OUTCOME = "outcome"


def note_in_words(entry: EntryKind, detail: Mapping[str, Any]) -> str:
    """Return an entry in one line: its first field, and the others with their labels."""
    first, *others = (str(detail.get(f.name, "")) for f in entry.fields)
    more = [f"{f.label.lower()}: {text}" for f, text in zip(entry.fields[1:], others, strict=True) if text]
    return f"{first} ({'; '.join(more)})" if more else first


def _wants(entry: EntryKind, fact: Fact, context: Context) -> Want | None:
    said = context.answers(fact)
    last = said[-1] if said else None
    if not entry.outcomes:
        return None
    if last is None or not last.detail["outcome"]:
        return Want(
            f"{entry.title}: {note_in_words(entry, fact.detail)}.", "Enter the outcome", entry.page, SUSPECTED if entry.fault else LATER
        )
    if last.detail["outcome"] != entry.fault:
        return None
    # Closed by its own retest: a better tone after some repair proves nothing of this fault.
    words = f"{fact.detail[entry.fields[0].name]}: {entry.fault}, {last.detail['words']}."
    return Want(words, "Retest it", entry.page) if context.came_later(last, REPAIR) else Want(words, "Add repair", "repairs")


def _kind(entry: EntryKind) -> FactKind:
    def line(fact: Fact, model: Model) -> str:
        return note_in_words(entry, fact.detail)

    return FactKind(entry.name, entry.title, entry.page, line, wants=partial(_wants, entry))


def _outcome(fact: Fact, model: Model) -> str:
    said, words = fact.detail["outcome"], fact.detail["words"]
    return f"{said or 'reopened'}{f': {words}' if words else ''}"


KINDS = (
    *map(_kind, ENTRIES.values()),
    FactKind(OUTCOME, "Outcome of a note", "notes", _outcome, identity=lambda fact: (fact.about,)),
)
