"""The register of instruments: what each was checked against, when, and how sure it is since."""

import sqlite3
from typing import NamedTuple


class CheckRow(NamedTuple):
    id: int
    instrument: str
    quantity: str
    serial: str
    checked_on: str
    due_on: str | None
    against: str
    found_off: float | None
    uncertainty: float
    at_utc: str


def add(
    conn: sqlite3.Connection,
    *,
    instrument: str,
    quantity: str,
    serial: str,
    checked_on: str,
    due_on: str | None,
    against: str,
    found_off: float | None,
    uncertainty: float,
    at_utc: str,
) -> None:
    """Keep a check: days as 2026-03-31, what it was found off by and how sure it is in the unit of its quantity."""
    conn.execute(
        """
        INSERT INTO instrument_check (instrument, quantity, serial, checked_on, due_on, against, found_off, uncertainty, at_utc)
        VALUES (:instrument, :quantity, :serial, :checked_on, :due_on, :against, :found_off, :uncertainty, :at_utc)""",
        {
            "instrument": instrument,
            "quantity": quantity,
            "serial": serial,
            "checked_on": checked_on,
            "due_on": due_on,
            "against": against,
            "found_off": found_off,
            "uncertainty": uncertainty,
            "at_utc": at_utc,
        },
    )


def checks(conn: sqlite3.Connection) -> list[CheckRow]:
    """Return every check, the oldest first."""
    rows = conn.execute(
        """
        SELECT id, instrument, quantity, serial, checked_on, due_on, against, found_off, uncertainty, at_utc
        FROM instrument_check ORDER BY checked_on, id"""
    )
    return [CheckRow(*row) for row in rows]
