"""Searches for a level that a person makes by the program's advice: what is searched, and what was tried."""

import sqlite3
from typing import NamedTuple


class SearchRow(NamedTuple):
    id: int
    asked: str
    began_utc: str
    ended_utc: str | None
    measurement_id: int | None


class TryRow(NamedTuple):
    id: int
    level_v: float
    apart_db: float
    shown: str
    at_utc: str
    struck_utc: str | None
    after_repair: int


def begin(conn: sqlite3.Connection, *, job_id: int, asked: str, at_utc: str) -> int:
    """Begin a search and return its id; asked is JSON."""
    cursor = conn.execute(
        "INSERT INTO led_search (job_id, asked, began_utc) VALUES (:job_id, :asked, :at_utc)",
        {"job_id": job_id, "asked": asked, "at_utc": at_utc},
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def of_job(conn: sqlite3.Connection, job_id: int) -> list[SearchRow]:
    """Return the searches of a job in their order."""
    rows = conn.execute(
        "SELECT id, asked, began_utc, ended_utc, measurement_id FROM led_search WHERE job_id = :job_id ORDER BY id", {"job_id": job_id}
    )
    return [SearchRow(*row) for row in rows]


def add_try(conn: sqlite3.Connection, *, search_id: int, level_v: float, apart_db: float, shown: str, at_utc: str) -> int:
    """Keep what was read at a level and return its id; shown: as it was typed."""
    cursor = conn.execute(
        """
        INSERT INTO led_try (search_id, level_v, apart_db, shown, at_utc, after_repair)
        VALUES (:search_id, :level_v, :apart_db, :shown, :at_utc, (SELECT coalesce(max(id), 0) FROM repair))""",
        {"search_id": search_id, "level_v": level_v, "apart_db": apart_db, "shown": shown, "at_utc": at_utc},
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def tries_of(conn: sqlite3.Connection, search_id: int) -> list[TryRow]:
    """Return what was tried in a search, in its order, what was taken back too."""
    rows = conn.execute(
        "SELECT id, level_v, apart_db, shown, at_utc, struck_utc, after_repair FROM led_try WHERE search_id = :search_id ORDER BY id",
        {"search_id": search_id},
    )
    return [TryRow(*row) for row in rows]


def strike_try(conn: sqlite3.Connection, *, try_id: int, at_utc: str) -> None:
    """Take a try back; it stays, struck."""
    conn.execute("UPDATE led_try SET struck_utc = coalesce(struck_utc, :at_utc) WHERE id = :id", {"id": try_id, "at_utc": at_utc})


def end(conn: sqlite3.Connection, *, search_id: int, measurement_id: int | None, at_utc: str) -> None:
    """End a search, with the measurement that it came to, or with none."""
    conn.execute(
        "UPDATE led_search SET ended_utc = :at_utc, measurement_id = :measurement_id WHERE id = :id AND ended_utc IS NULL",
        {"id": search_id, "measurement_id": measurement_id, "at_utc": at_utc},
    )
