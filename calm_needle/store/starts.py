"""The log of a safe start."""

import sqlite3
from typing import NamedTuple


class StartRow(NamedTuple):
    id: int
    kind: str
    detail: str
    at_utc: str


def add_entry(conn: sqlite3.Connection, *, job_id: int, kind: str, detail: str, at_utc: str) -> int:
    """Keep an entry (detail: JSON) and return its id."""
    return int(
        conn.execute(
            "INSERT INTO start_entry (job_id, kind, detail, at_utc) VALUES (:job_id, :kind, :detail, :at_utc) RETURNING id",
            {"job_id": job_id, "kind": kind, "detail": detail, "at_utc": at_utc},
        ).fetchone()[0]
    )


def entries(conn: sqlite3.Connection, job_id: int) -> list[StartRow]:
    """Return the log of a job in its order."""
    rows = conn.execute("SELECT id, kind, detail, at_utc FROM start_entry WHERE job_id = :job_id ORDER BY id", {"job_id": job_id})
    return [StartRow(*row) for row in rows]
