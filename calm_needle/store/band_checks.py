"""What was heard and measured on each band of a set."""

import sqlite3
from typing import NamedTuple


class BandCheckRow(NamedTuple):
    band: str
    kind: str
    heard: str | None
    value: float | None
    coupling: str
    at_utc: str
    after_repair: int


def add_band_check(
    conn: sqlite3.Connection, *, job_id: int, band: str, kind: str, heard: str | None, value: float | None, coupling: str, at_utc: str
) -> None:
    """Keep one entry; value in V or ohm, None for an open coil."""
    conn.execute(
        """
        INSERT INTO band_check (job_id, band, kind, heard, value, coupling, at_utc, after_repair)
        VALUES (:job_id, :band, :kind, :heard, :value, :coupling, :at_utc, (SELECT coalesce(max(id), 0) FROM repair))""",
        {"job_id": job_id, "band": band, "kind": kind, "heard": heard, "value": value, "coupling": coupling, "at_utc": at_utc},
    )


def band_checks(conn: sqlite3.Connection, job_id: int) -> list[BandCheckRow]:
    """Return the entries of a job in their order, each with the id of the last change that was made before it."""
    rows = conn.execute(
        "SELECT band, kind, heard, value, coupling, at_utc, after_repair FROM band_check WHERE job_id = :job_id ORDER BY id",
        {"job_id": job_id},
    )
    return [BandCheckRow(*row) for row in rows]
