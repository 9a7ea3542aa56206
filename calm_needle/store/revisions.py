"""The number of the last entry of each thing that two windows could write to: what a page was showing when it was sent."""

import sqlite3


def last_start_entry(conn: sqlite3.Connection, job_id: int) -> int:
    """Return the number of the last entry of a job's start; 0 where there is none."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM start_entry WHERE job_id = :id", {"id": job_id}).fetchone()[0])


def last_band_check(conn: sqlite3.Connection, job_id: int) -> int:
    """Return the number of the last entry of a job's bands; 0 where there is none."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM band_check WHERE job_id = :id", {"id": job_id}).fetchone()[0])


def last_repair(conn: sqlite3.Connection, job_id: int) -> int:
    """Return how many changes and quick tests a job has; 0 where there is none."""
    return int(
        conn.execute(
            """
            SELECT (SELECT count(*) FROM repair WHERE job_id = :id)
                + (SELECT count(*) FROM quick_test q JOIN repair r ON r.id = q.repair_id WHERE r.job_id = :id)""",
            {"id": job_id},
        ).fetchone()[0]
    )


def last_phase_mark(conn: sqlite3.Connection, job_id: int) -> int:
    """Return the number of the last mark of a job's phases; 0 where there is none."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM phase_mark WHERE job_id = :id", {"id": job_id}).fetchone()[0])


def last_answer(conn: sqlite3.Connection, work_id: int) -> int:
    """Return the number of the last answer of a guided work; 0 where there is none."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM guided_answer WHERE work_id = :id", {"id": work_id}).fetchone()[0])


def last_dossier_version(conn: sqlite3.Connection, job_id: int) -> int:
    """Return the number of the last version of the dossier of a job's set; 0 where there is none."""
    return int(
        conn.execute(
            "SELECT coalesce(max(v.id), 0) FROM own_dossier_version v JOIN job j ON j.set_id = v.set_id WHERE j.id = :id", {"id": job_id}
        ).fetchone()[0]
    )


def last_part_checks(conn: sqlite3.Connection, job_id: int) -> dict[str, int]:
    """Return the number of the last measurement of each part of a job that has one."""
    rows = conn.execute("SELECT part, max(id) FROM part_check WHERE job_id = :id GROUP BY part", {"id": job_id})
    return {str(part): int(last) for part, last in rows}
