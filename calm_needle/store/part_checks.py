"""What the parts of a set measured, and which were replaced."""

import sqlite3
from typing import NamedTuple


class PartCheckRow(NamedTuple):
    part: str
    value: float | None
    in_circuit: int
    replaced: int
    at_utc: str
    marked: float | None
    after_repair: int
    leads: float


def add_part_check(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    part: str,
    value: float | None,
    in_circuit: bool,
    replaced: bool,
    at_utc: str,
    marked: float | None = None,
    leads: float = 0.0,
) -> None:
    """Keep one measurement (SI value as the meter showed it, None for open; what is printed on the part; what of it is the leads'), or that
    of the new part when it was replaced."""
    conn.execute(
        """
        INSERT INTO part_check (job_id, part, value, in_circuit, replaced, at_utc, marked, leads, after_repair)
        VALUES (:job_id, :part, :value, :in_circuit, :replaced, :at_utc, :marked, :leads, (SELECT coalesce(max(id), 0) FROM repair))""",
        {
            "job_id": job_id,
            "part": part,
            "value": value,
            "in_circuit": int(in_circuit),
            "replaced": int(replaced),
            "at_utc": at_utc,
            "marked": marked,
            "leads": leads,
        },
    )


def part_checks(conn: sqlite3.Connection, job_id: int) -> list[PartCheckRow]:
    """Return the measurements of a job's parts in their order, each with the id of the last change that was made before it."""
    rows = conn.execute(
        """
        SELECT part, value, in_circuit, replaced, at_utc, marked, after_repair, leads FROM part_check WHERE job_id = :job_id ORDER BY id""",
        {"job_id": job_id},
    )
    return [PartCheckRow(*row) for row in rows]
