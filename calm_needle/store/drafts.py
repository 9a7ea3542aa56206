"""What was half typed into the forms of a job."""

import sqlite3
from typing import NamedTuple


class DraftRow(NamedTuple):
    form: str
    fields: str
    at_utc: str


def put_draft(conn: sqlite3.Connection, *, job_id: int, form: str, fields: str, at_utc: str) -> None:
    """Keep what is half typed in a form (fields: JSON), in the place of what was there before."""
    conn.execute(
        """
        INSERT INTO draft (job_id, form, fields, at_utc) VALUES (:job_id, :form, :fields, :at_utc)
        ON CONFLICT (job_id, form) DO UPDATE SET fields = excluded.fields, at_utc = excluded.at_utc""",
        {"job_id": job_id, "form": form, "fields": fields, "at_utc": at_utc},
    )


def forget_draft(conn: sqlite3.Connection, *, job_id: int, form: str) -> None:
    """Let a draft go: it was kept properly, or is not wanted."""
    conn.execute("DELETE FROM draft WHERE job_id = :job_id AND form = :form", {"job_id": job_id, "form": form})


def drafts_of_job(conn: sqlite3.Connection, job_id: int) -> list[DraftRow]:
    """Return the drafts of a job, newest first."""
    rows = conn.execute("SELECT form, fields, at_utc FROM draft WHERE job_id = :job_id ORDER BY at_utc DESC", {"job_id": job_id})
    return [DraftRow(*row) for row in rows]
