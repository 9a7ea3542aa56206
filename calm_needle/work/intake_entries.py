"""What is asked when a set comes in, kind by kind, and what of it is still open."""

import json
import sqlite3
from dataclasses import dataclass

from calm_needle.core.intake_kinds import KINDS, IntakeKind, Worth, check, worth_it
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import intake
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.shelf import job_of


@dataclass(frozen=True)
class Entry:
    """One entry as the page shows it; worth: for the kind that is judged."""

    id: int
    kind: str
    detail: dict[str, str]
    at_utc: str
    ended: bool
    worth: Worth | None


@dataclass(frozen=True)
class IntakeView:
    """Every kind with its entries."""

    job: JobRow
    kinds: list[tuple[IntakeKind, list[Entry]]]


def view(conn: sqlite3.Connection, job_id: int) -> IntakeView:
    """Return what was asked and answered for a job's set. Raises NotFound."""
    job = job_of(conn, job_id)
    entries = [_entry(row) for row in intake.entries_of_job(conn, job_id)]
    return IntakeView(job, [(kind, [e for e in entries if e.kind == kind.name]) for kind in KINDS.values()])


def waiting(conn: sqlite3.Connection, job_id: int) -> list[Entry]:
    """Return what a job still waits for."""
    return [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.kind == "waiting" and not e.ended]


def unverified(conn: sqlite3.Connection, job_id: int) -> list[Entry]:
    """Return the papers whose targets are not this model's own."""
    papers = [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.kind == "paper"]
    return [paper for paper in papers if not paper.detail["trust"].startswith("this model")]


def add(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep an entry (kind and its fields). Raises NotFound, FieldsRefused."""
    job_of(conn, job_id)
    kind = KINDS.get(form.get("kind", ""))
    if kind is None:
        raise NotFound("kind of entry", form.get("kind", "")[:20])
    intake.add_entry(conn, job_id=job_id, kind=kind.name, detail=json.dumps(check(kind, form), ensure_ascii=False), at_utc=now_utc())


def end(conn: sqlite3.Connection, job_id: int, entry_id: int) -> None:
    """Record that what was waited for has come. Raises NotFound, FieldsRefused."""
    entry = next((e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.id == entry_id), None)
    if entry is None or not KINDS[entry.kind].closes:
        raise NotFound("entry that is waited for", entry_id)
    if entry.ended:
        raise FieldsRefused({"item": "It had come already."})
    intake.end_entry(conn, entry_id=entry_id, at_utc=now_utc())


def _entry(row: intake.EntryRow) -> Entry:
    detail = {str(k): str(v) for k, v in json.loads(row.detail).items()}
    return Entry(row.id, row.kind, detail, row.at_utc, row.ended_utc is not None, worth_it(detail) if row.kind == "worth" else None)
