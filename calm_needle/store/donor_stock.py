"""Parts kept for other sets, their tests, and what came and went."""

import sqlite3
from typing import NamedTuple


class DonorRow(NamedTuple):
    """left: how many there are; outcome, words, tested_utc: of the last test, empty where there was none."""

    id: int
    kind: str
    name: str
    value: float | None
    from_what: str
    place: str
    left: int
    outcome: str
    words: str
    tested_utc: str


class MoveRow(NamedTuple):
    donor_part_id: int
    change: int
    job_id: int | None
    words: str
    at_utc: str


def add(conn: sqlite3.Connection, *, kind: str, name: str, value: float | None, from_what: str, place: str, at_utc: str) -> int:
    """Keep a part and return its id. Within a transaction, with the move that says how many there are."""
    cursor = conn.execute(
        """
        INSERT INTO donor_part (kind, name, value, from_what, place, added_utc)
        VALUES (:kind, :name, :value, :from_what, :place, :at_utc)""",
        {"kind": kind, "name": name, "value": value, "from_what": from_what, "place": place, "at_utc": at_utc},
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def move(conn: sqlite3.Connection, *, donor_part_id: int, change: int, job_id: int | None, words: str, at_utc: str) -> None:
    """So many came, or went (below zero), into a job or not."""
    conn.execute(
        """
        INSERT INTO donor_move (donor_part_id, change, job_id, words, at_utc)
        VALUES (:donor_part_id, :change, :job_id, :words, :at_utc)""",
        {"donor_part_id": donor_part_id, "change": change, "job_id": job_id, "words": words, "at_utc": at_utc},
    )


def test(conn: sqlite3.Connection, *, donor_part_id: int, outcome: str, words: str, at_utc: str) -> None:
    """Keep a test of a part."""
    conn.execute(
        "INSERT INTO donor_test (donor_part_id, outcome, words, at_utc) VALUES (:donor_part_id, :outcome, :words, :at_utc)",
        {"donor_part_id": donor_part_id, "outcome": outcome, "words": words, "at_utc": at_utc},
    )


def parts(conn: sqlite3.Connection) -> list[DonorRow]:
    """Return every part that was ever kept, in the order of kinds and names."""
    rows = conn.execute(
        """
        SELECT p.id, p.kind, p.name, p.value, p.from_what, p.place,
               (SELECT coalesce(sum(change), 0) FROM donor_move WHERE donor_part_id = p.id),
               coalesce(t.outcome, ''), coalesce(t.words, ''), coalesce(t.at_utc, '')
        FROM donor_part p
        LEFT JOIN donor_test t ON t.id = (SELECT max(id) FROM donor_test WHERE donor_part_id = p.id)
        ORDER BY p.kind, p.name, p.id"""
    )
    return [DonorRow(*row) for row in rows]


def moves(conn: sqlite3.Connection) -> list[MoveRow]:
    """Return what came and went, the newest first."""
    rows = conn.execute("SELECT donor_part_id, change, job_id, words, at_utc FROM donor_move ORDER BY id DESC")
    return [MoveRow(*row) for row in rows]
