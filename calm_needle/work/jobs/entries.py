"""What is written down about a job, kind by kind, and what of it is still open."""

import json
import sqlite3
from dataclasses import dataclass

from calm_needle.core.soundness.entry_kinds import KINDS, OWN_PAPER, EntryKind, Page, check
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import intake
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.jobs.shelf import job_of


@dataclass(frozen=True)
class Entry:
    """One entry as the page shows it: what came of it, and what its figures say where its kind is judged."""

    id: int
    kind: str
    detail: dict[str, str]
    at_utc: str
    ended: bool
    outcome: str
    judged: Verdict | None
    after_repair: int

    @property
    def unverified(self) -> bool:
        """Whether it is a paper whose targets stay unverified until a reading here confirms them."""
        return self.kind == "paper" and self.detail["trust"] != OWN_PAPER


@dataclass(frozen=True)
class EntriesView:
    """Every kind of a page with its entries."""

    job: JobRow
    kinds: list[tuple[EntryKind, list[Entry]]]


def view(conn: sqlite3.Connection, job_id: int, page: Page) -> EntriesView:
    """Return what was written down about a job, on one of its pages. Raises NotFound."""
    job = job_of(conn, job_id)
    entries = [_entry(row) for row in intake.entries_of_job(conn, job_id)]
    return EntriesView(job, [(kind, [e for e in entries if e.kind == kind.name]) for kind in KINDS.values() if kind.page == page])


def still_open(conn: sqlite3.Connection, job_id: int) -> dict[str, list[Entry]]:
    """Return the entries that nothing has come of yet, by kind: waited for, suspected, predicted, off the set, worried about."""
    out: dict[str, list[Entry]] = {}
    for entry in map(_entry, intake.entries_of_job(conn, job_id)):
        if KINDS[entry.kind].outcomes and not entry.ended:
            out.setdefault(entry.kind, []).append(entry)
    return out


def of_kind(conn: sqlite3.Connection, job_id: int, kind: str) -> list[Entry]:
    """Return the entries of one kind in their order."""
    return [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.kind == kind]


def unverified(conn: sqlite3.Connection, job_id: int) -> list[Entry]:
    """Return the papers whose targets are not this model's own."""
    return [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.unverified]


def add(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep an entry (kind and its fields). Raises NotFound, FieldsRefused."""
    job_of(conn, job_id)
    kind = KINDS.get(form.get("kind", ""))
    if kind is None:
        raise NotFound("kind of entry", form.get("kind", "")[:20])
    intake.add_entry(conn, job_id=job_id, kind=kind.name, detail=json.dumps(check(kind, form), ensure_ascii=False), at_utc=now_utc())


def end(conn: sqlite3.Connection, job_id: int, entry_id: int, outcome: str) -> None:
    """Record what came of an entry that was open. Raises NotFound, FieldsRefused."""
    entry = next((e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.id == entry_id), None)
    if entry is None or outcome not in KINDS[entry.kind].outcomes:
        raise NotFound("entry that is open", entry_id)
    if entry.ended:
        raise FieldsRefused({"item": f"It was ended already: {entry.outcome}."})
    intake.end_entry(conn, entry_id=entry_id, outcome=outcome, at_utc=now_utc())


def _entry(row: intake.EntryRow) -> Entry:
    detail = {str(k): str(v) for k, v in json.loads(row.detail).items()}
    judge = KINDS[row.kind].judge
    judged = judge(detail) if judge else None
    return Entry(row.id, row.kind, detail, row.at_utc, row.ended_utc is not None, row.outcome, judged, row.after_repair)
