"""The facts of a job, in the order of its journal, from the view over the tables that keep them (schema 45).

Until the facts have a table of their own, a fact's number is its place in the journal of its job.
"""

import bisect
import json
import sqlite3
from collections.abc import Mapping
from typing import Any, NamedTuple


class FactRow(NamedTuple):
    """One row: where it came from, its kind and subject, its payload, when, how many repairs were made before it (a repair counts itself),
    and the row that it is about."""

    table: str
    row_id: int
    kind: str
    subject: str
    detail: Mapping[str, Any]
    happened_utc: str
    epoch: int
    about: tuple[str, int] | None


def state_of_job(conn: sqlite3.Connection, job_id: int) -> tuple[tuple[str, int, int, str], ...]:
    """Return how far the tables of a job's facts have grown: of each its rows, the newest, and the latest time.

    All but recordings only grow, so the same state is the same facts; a recording in the place of a deleted one differs in its time.
    """
    rows = conn.execute(
        "SELECT source, count(*), max(row_id), max(happened_utc) FROM fact_row WHERE job_id = :job_id GROUP BY source",
        {"job_id": job_id},
    )
    return tuple((str(source), int(count), int(last), str(at_utc)) for source, count, last, at_utc in rows)


def facts_of_job(conn: sqlite3.Connection, job_id: int) -> list[FactRow]:
    """Return the facts of a job in the order of its journal.

    Rows of one table keep their order. Between tables the repairs before a row decide, where it kept them, and its time otherwise.
    """
    rows: list[FactRow] = []
    repairs: list[int] = []  # their ids, and the latest time up to each: a clock may have been put back
    until: list[str] = []
    last_epoch: dict[str, int] = {}
    for source, row_id, kind, subject, detail, at_utc, epoch, about_source, about_id in conn.execute(
        """
        SELECT source, row_id, kind, subject, detail, happened_utc, epoch, about_source, about_id
        FROM fact_row WHERE job_id = :job_id ORDER BY place, row_id""",
        {"job_id": job_id},
    ):
        if source == "repair":
            repairs.append(row_id)
            until.append(max(at_utc, until[-1] if until else ""))
        # What a row kept is the last repair of any job; what counts is the last of its own.
        n = bisect.bisect_right(repairs, epoch) if epoch is not None else bisect.bisect_right(until, at_utc)
        last_epoch[source] = max(last_epoch.get(source, 0), n)
        about = (about_source, about_id) if about_id else None
        rows.append(FactRow(source, row_id, kind, subject, json.loads(detail), at_utc, last_epoch[source], about))
    latest: dict[str, str] = {}
    keyed = []
    for place, row in enumerate(rows):
        # A clock that was put back does not put a row before the one that was written before it.
        latest[row.table] = max(latest.get(row.table, ""), row.happened_utc)
        is_repair = row.table == "repair"
        keyed.append(((row.epoch, not is_repair, "" if is_repair else latest[row.table], place), row))
    return [row for _, row in sorted(keyed, key=lambda pair: pair[0])]
