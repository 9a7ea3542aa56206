"""The instruments in use, and the few settings of the program itself."""

import sqlite3
from typing import NamedTuple


class InstrumentRow(NamedTuple):
    kind: str
    resource: str
    identity: str
    stand_in: int
    description: str | None = None


def put_instrument(
    conn: sqlite3.Connection, *, kind: str, resource: str, identity: str, stand_in: bool, at_utc: str, description: str | None = None
) -> None:
    """Keep where the instrument of a kind is found, and its description where it has one, in place of the one before."""
    conn.execute(
        """
        INSERT INTO instrument (kind, resource, identity, stand_in, added_utc, description)
        VALUES (:kind, :resource, :identity, :stand_in, :at_utc, :description)
        ON CONFLICT (kind) DO UPDATE SET
            resource = :resource, identity = :identity, stand_in = :stand_in, added_utc = :at_utc, description = :description""",
        {
            "kind": kind,
            "resource": resource,
            "identity": identity,
            "stand_in": int(stand_in),
            "at_utc": at_utc,
            "description": description,
        },
    )


def remove_instrument(conn: sqlite3.Connection, kind: str) -> None:
    """Forget the instrument of a kind."""
    conn.execute("DELETE FROM instrument WHERE kind = :kind", {"kind": kind})


def instruments(conn: sqlite3.Connection) -> list[InstrumentRow]:
    """Return the instruments in use."""
    return [
        InstrumentRow(*row) for row in conn.execute("SELECT kind, resource, identity, stand_in, description FROM instrument ORDER BY id")
    ]


def setting(conn: sqlite3.Connection, key: str) -> str | None:
    """Return a setting, or None."""
    row = conn.execute("SELECT value FROM setting WHERE key = :key", {"key": key}).fetchone()
    return str(row[0]) if row else None


def put_setting(conn: sqlite3.Connection, key: str, value: str) -> None:
    """Keep a setting."""
    conn.execute(
        "INSERT INTO setting (key, value) VALUES (:key, :value) ON CONFLICT (key) DO UPDATE SET value = :value",
        {"key": key, "value": value},
    )
