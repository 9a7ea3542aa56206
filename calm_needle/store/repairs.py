"""What was changed in sets, and the quick tests after it."""

import sqlite3
from typing import NamedTuple


class RepairRow(NamedTuple):
    id: int
    part: str
    what: str
    value: float | None
    words: str
    at_utc: str


class QuickTestRow(NamedTuple):
    repair_id: int
    outcome: str
    words: str
    at_utc: str


def add_repair(conn: sqlite3.Connection, *, job_id: int, part: str, what: str, value: float | None, words: str, at_utc: str) -> int:
    """Keep one change and return its id; value (SI) of a part that was replaced."""
    return int(
        conn.execute(
            """
            INSERT INTO repair (job_id, part, what, value, words, at_utc)
            VALUES (:job_id, :part, :what, :value, :words, :at_utc) RETURNING id""",
            {"job_id": job_id, "part": part, "what": what, "value": value, "words": words, "at_utc": at_utc},
        ).fetchone()[0]
    )


def repairs_of_job(conn: sqlite3.Connection, job_id: int) -> list[RepairRow]:
    """Return the changes of a job in their order."""
    rows = conn.execute("SELECT id, part, what, value, words, at_utc FROM repair WHERE job_id = :job_id ORDER BY id", {"job_id": job_id})
    return [RepairRow(*row) for row in rows]


def add_quick_test(conn: sqlite3.Connection, *, repair_id: int, outcome: str, words: str, at_utc: str) -> None:
    """Keep the quick test after a change."""
    conn.execute(
        "INSERT INTO quick_test (repair_id, outcome, words, at_utc) VALUES (:repair_id, :outcome, :words, :at_utc)",
        {"repair_id": repair_id, "outcome": outcome, "words": words, "at_utc": at_utc},
    )


def quick_tests_of_job(conn: sqlite3.Connection, job_id: int) -> list[QuickTestRow]:
    """Return the quick tests of a job's changes in their order."""
    rows = conn.execute(
        """
        SELECT q.repair_id, q.outcome, q.words, q.at_utc FROM quick_test q JOIN repair r ON r.id = q.repair_id
        WHERE r.job_id = :job_id ORDER BY q.id""",
        {"job_id": job_id},
    )
    return [QuickTestRow(*row) for row in rows]
