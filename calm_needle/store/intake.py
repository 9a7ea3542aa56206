"""Complaints with their retests, and waivers of the gate before alignment."""

import sqlite3
from typing import NamedTuple


class ComplaintRow(NamedTuple):
    id: int
    words: str
    place: str
    opened_utc: str


class RetestRow(NamedTuple):
    complaint_id: int
    outcome: str
    words: str
    at_utc: str
    after_repair: int
    cover: str


class WaiverRow(NamedTuple):
    reason: str
    missing: str
    at_utc: str
    after_mark: int


def add_complaint(conn: sqlite3.Connection, *, job_id: int, words: str, place: str, at_utc: str) -> int:
    """Keep a complaint and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO complaint (job_id, words, place, opened_utc) VALUES (:job_id, :words, :place, :at_utc) RETURNING id""",
            {"job_id": job_id, "words": words, "place": place, "at_utc": at_utc},
        ).fetchone()[0]
    )


def complaints_of_job(conn: sqlite3.Connection, job_id: int) -> list[ComplaintRow]:
    """Return the complaints of a job in their order."""
    rows = conn.execute("SELECT id, words, place, opened_utc FROM complaint WHERE job_id = :job_id ORDER BY id", {"job_id": job_id})
    return [ComplaintRow(*row) for row in rows]


def add_retest(conn: sqlite3.Connection, *, complaint_id: int, outcome: str, words: str, at_utc: str, cover: str) -> None:
    """Keep a retest; the last one of a complaint counts."""
    conn.execute(
        """
        INSERT INTO retest (complaint_id, outcome, words, at_utc, after_repair, cover)
        VALUES (:complaint_id, :outcome, :words, :at_utc, (SELECT coalesce(max(id), 0) FROM repair), :cover)""",
        {"complaint_id": complaint_id, "outcome": outcome, "words": words, "at_utc": at_utc, "cover": cover},
    )


def retests_of_job(conn: sqlite3.Connection, job_id: int) -> list[RetestRow]:
    """Return the retests of all complaints of a job in their order, each with the id of the last change that was made before it."""
    rows = conn.execute(
        """
        SELECT r.complaint_id, r.outcome, r.words, r.at_utc, r.after_repair, r.cover FROM retest r JOIN complaint c ON c.id = r.complaint_id
        WHERE c.job_id = :job_id ORDER BY r.id""",
        {"job_id": job_id},
    )
    return [RetestRow(*row) for row in rows]


def add_waiver(conn: sqlite3.Connection, *, job_id: int, reason: str, missing: str, at_utc: str) -> None:
    """Keep a waiver with what was missing at the time (JSON)."""
    conn.execute(
        """
        INSERT INTO waiver (job_id, reason, missing, at_utc, after_mark)
        VALUES (:job_id, :reason, :missing, :at_utc, (SELECT coalesce(max(id), 0) FROM phase_mark))""",
        {"job_id": job_id, "reason": reason, "missing": missing, "at_utc": at_utc},
    )


def last_waiver(conn: sqlite3.Connection, job_id: int) -> WaiverRow | None:
    """Return the last waiver of a job, or None."""
    row = conn.execute(
        "SELECT reason, missing, at_utc, after_mark FROM waiver WHERE job_id = :job_id ORDER BY id DESC LIMIT 1", {"job_id": job_id}
    ).fetchone()
    return WaiverRow(*row) if row else None


class EntryRow(NamedTuple):
    id: int
    kind: str
    detail: str
    at_utc: str
    ended_utc: str | None
    outcome: str
    after_repair: int
    words: str = ""


def add_entry(conn: sqlite3.Connection, *, job_id: int, kind: str, detail: str, at_utc: str) -> int:
    """Keep an entry (detail: JSON) and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO intake_entry (job_id, kind, detail, at_utc, after_repair)
            VALUES (:job_id, :kind, :detail, :at_utc, (SELECT coalesce(max(id), 0) FROM repair)) RETURNING id""",
            {"job_id": job_id, "kind": kind, "detail": detail, "at_utc": at_utc},
        ).fetchone()[0]
    )


def end_entry(conn: sqlite3.Connection, *, entry_id: int, outcome: str | None, words: str, at_utc: str) -> None:
    """Record what came of an entry; None opens it again. The last one counts."""
    conn.execute(
        "INSERT INTO entry_outcome (entry_id, outcome, words, at_utc) VALUES (:entry_id, :outcome, :words, :at_utc)",
        {"entry_id": entry_id, "outcome": outcome, "words": words, "at_utc": at_utc},
    )


def entries_of_job(conn: sqlite3.Connection, job_id: int) -> list[EntryRow]:
    """Return the entries of a job in their order, with when they ended and the id of the last change that was made before them."""
    rows = conn.execute(
        """
        SELECT e.id, e.kind, e.detail, e.at_utc, iif(x.outcome IS NULL, NULL, x.at_utc), coalesce(x.outcome, ''), e.after_repair,
            coalesce(x.words, '')
        FROM intake_entry e
        LEFT JOIN entry_outcome x ON x.id = (SELECT max(id) FROM entry_outcome WHERE entry_id = e.id)
        WHERE e.job_id = :job_id ORDER BY e.id""",
        {"job_id": job_id},
    )
    return [EntryRow(*row) for row in rows]


def open_entries(conn: sqlite3.Connection) -> list[tuple[int, int, str, str]]:
    """Return every entry of any job that nothing has ended: its id, its job, its kind, its detail (JSON)."""
    rows = conn.execute(
        """
        SELECT e.id, e.job_id, e.kind, e.detail FROM intake_entry e
        WHERE NOT EXISTS (SELECT 1 FROM entry_outcome o WHERE o.entry_id = e.id) ORDER BY e.id"""
    )
    return [(int(i), int(job), str(kind), str(detail)) for i, job, kind, detail in rows]
