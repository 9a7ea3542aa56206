"""Photographs of jobs and the pins on them. The pictures themselves lie in files, named after what is in them."""

import sqlite3
from typing import NamedTuple


class PhotographRow(NamedTuple):
    id: int
    job_id: int
    sha256: str
    caption: str
    width: int
    height: int
    at_utc: str


class PinRow(NamedTuple):
    id: int
    photograph_id: int
    kind: str
    label: str
    x: float
    y: float
    at_utc: str


def add_photograph(conn: sqlite3.Connection, *, job_id: int, sha256: str, caption: str, width: int, height: int, at_utc: str) -> int:
    """Keep a photograph and return its id. Raises sqlite3.IntegrityError when the job has that very picture already."""
    return int(
        conn.execute(
            """
            INSERT INTO photograph (job_id, sha256, caption, width, height, at_utc)
            VALUES (:job_id, :sha256, :caption, :width, :height, :at_utc) RETURNING id""",
            {"job_id": job_id, "sha256": sha256, "caption": caption, "width": width, "height": height, "at_utc": at_utc},
        ).fetchone()[0]
    )


def photographs_of_job(conn: sqlite3.Connection, job_id: int) -> list[PhotographRow]:
    """Return the photographs of a job, oldest first."""
    rows = conn.execute(
        "SELECT id, job_id, sha256, caption, width, height, at_utc FROM photograph WHERE job_id = :job_id ORDER BY id", {"job_id": job_id}
    )
    return [PhotographRow(*row) for row in rows]


def count_photographs(conn: sqlite3.Connection, job_id: int) -> int:
    """Return how many photographs a job has."""
    return int(conn.execute("SELECT count(*) FROM photograph WHERE job_id = :job_id", {"job_id": job_id}).fetchone()[0])


def photograph(conn: sqlite3.Connection, photograph_id: int) -> PhotographRow | None:
    """Return a photograph, or None."""
    row = conn.execute(
        "SELECT id, job_id, sha256, caption, width, height, at_utc FROM photograph WHERE id = :id", {"id": photograph_id}
    ).fetchone()
    return PhotographRow(*row) if row else None


def choose(conn: sqlite3.Connection, *, photograph_id: int, chosen: bool) -> None:
    """Keep whether a photograph is shown in its job's record."""
    conn.execute(
        """
        INSERT INTO chosen_photograph (photograph_id, chosen) VALUES (:id, :chosen)
        ON CONFLICT (photograph_id) DO UPDATE SET chosen = excluded.chosen""",
        {"id": photograph_id, "chosen": int(chosen)},
    )


def chosen_of_job(conn: sqlite3.Connection, job_id: int) -> set[int]:
    """Return the ids of a job's photographs that are shown in its record."""
    rows = conn.execute(
        """
        SELECT c.photograph_id FROM chosen_photograph c JOIN photograph p ON p.id = c.photograph_id
        WHERE p.job_id = :job_id AND c.chosen = 1""",
        {"job_id": job_id},
    )
    return {int(row[0]) for row in rows}


def add_pin(conn: sqlite3.Connection, *, photograph_id: int, kind: str, label: str, x: float, y: float, at_utc: str) -> int:
    """Put a pin on a photograph (x, y: shares of width and height) and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO pin (photograph_id, kind, label, x, y, at_utc)
            VALUES (:photograph_id, :kind, :label, :x, :y, :at_utc) RETURNING id""",
            {"photograph_id": photograph_id, "kind": kind, "label": label, "x": x, "y": y, "at_utc": at_utc},
        ).fetchone()[0]
    )


def take_out_pin(conn: sqlite3.Connection, *, pin_id: int, at_utc: str) -> None:
    """Take a pin out again. Raises sqlite3.IntegrityError when it was out already."""
    conn.execute("INSERT INTO pin_taken_out (pin_id, at_utc) VALUES (:pin_id, :at_utc)", {"pin_id": pin_id, "at_utc": at_utc})


def pins_of_photograph(conn: sqlite3.Connection, photograph_id: int) -> list[PinRow]:
    """Return the pins that are in."""
    rows = conn.execute(
        """
        SELECT id, photograph_id, kind, label, x, y, at_utc FROM pin
        WHERE photograph_id = :id AND id NOT IN (SELECT pin_id FROM pin_taken_out) ORDER BY id""",
        {"id": photograph_id},
    )
    return [PinRow(*row) for row in rows]
