"""Broadcast carriers that somebody knows: the workshop's own table, for every job."""

import sqlite3
from typing import NamedTuple


class CarrierRow(NamedTuple):
    id: int
    name: str
    frequency_hz: float
    uncertainty_hz: float
    known_on: str


def add_carrier(conn: sqlite3.Connection, *, name: str, frequency_hz: float, uncertainty_hz: float, known_on: str, at_utc: str) -> None:
    """Keep a carrier; known_on: the day (ISO) as of which its frequency is known."""
    conn.execute(
        """
        INSERT INTO carrier (name, frequency_hz, uncertainty_hz, known_on, at_utc)
        VALUES (:name, :frequency_hz, :uncertainty_hz, :known_on, :at_utc)""",
        {"name": name, "frequency_hz": frequency_hz, "uncertainty_hz": uncertainty_hz, "known_on": known_on, "at_utc": at_utc},
    )


def withdraw(conn: sqlite3.Connection, carrier_id: int, *, at_utc: str) -> None:
    """Take a carrier out of what is offered; once is enough."""
    conn.execute(
        "INSERT OR IGNORE INTO carrier_withdrawn (carrier_id, at_utc) SELECT id, :at_utc FROM carrier WHERE id = :id",
        {"id": carrier_id, "at_utc": at_utc},
    )


def carriers(conn: sqlite3.Connection) -> list[CarrierRow]:
    """Return what is offered, rising in frequency."""
    rows = conn.execute(
        """
        SELECT id, name, frequency_hz, uncertainty_hz, known_on FROM carrier
        WHERE id NOT IN (SELECT carrier_id FROM carrier_withdrawn) ORDER BY frequency_hz, id"""
    )
    return [CarrierRow(*row) for row in rows]
