"""The log of a safe start."""

import sqlite3
from typing import NamedTuple


class StartRow(NamedTuple):
    id: int
    kind: str
    detail: str
    at_utc: str
    struck: str | None = None
    after_repair: int = 0


def add_entry(conn: sqlite3.Connection, *, job_id: int, kind: str, detail: str, at_utc: str) -> int:
    """Keep an entry (detail: JSON) and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO start_entry (job_id, kind, detail, at_utc, after_repair)
            VALUES (:job_id, :kind, :detail, :at_utc, (SELECT coalesce(max(id), 0) FROM repair)) RETURNING id""",
            {"job_id": job_id, "kind": kind, "detail": detail, "at_utc": at_utc},
        ).fetchone()[0]
    )


def entries(conn: sqlite3.Connection, job_id: int) -> list[StartRow]:
    """Return the log of a job in its order, each entry with the reason for which it was struck, None for one that counts."""
    rows = conn.execute(
        """
        SELECT e.id, e.kind, e.detail, e.at_utc, s.reason, e.after_repair
        FROM start_entry e LEFT JOIN start_strike s ON s.entry_id = e.id WHERE e.job_id = :job_id ORDER BY e.id""",
        {"job_id": job_id},
    )
    return [StartRow(*row) for row in rows]


def strike(conn: sqlite3.Connection, *, entry_id: int, reason: str, at_utc: str) -> None:
    """Strike an entry. Raises sqlite3.IntegrityError when it was struck before."""
    conn.execute(
        "INSERT INTO start_strike (entry_id, reason, at_utc) VALUES (:entry_id, :reason, :at_utc)",
        {"entry_id": entry_id, "reason": reason, "at_utc": at_utc},
    )
