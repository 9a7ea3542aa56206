"""Dossiers that are one set's own, beside its model's: which counts, and every version there has been."""

import sqlite3
from typing import NamedTuple

from calm_needle.store import shelf


class VersionRow(NamedTuple):
    id: int
    dossier_id: int | None
    base_id: int
    words: str
    at_utc: str


def current(conn: sqlite3.Connection, set_id: int) -> int | None:
    """Return the id of the dossier that is a set's own; None for a set that is as its model's."""
    row = conn.execute("SELECT dossier_id FROM radio_set WHERE id = :id", {"id": set_id}).fetchone()
    return None if row is None or row[0] is None else int(row[0])


def base(conn: sqlite3.Connection, set_id: int) -> int:
    """Return the id of the model's dossier from which a set's own set out; the model's newest where it has none of its own."""
    row = conn.execute(
        """
        SELECT coalesce(
            (SELECT base_id FROM own_dossier_version WHERE set_id = s.id AND s.dossier_id IS NOT NULL ORDER BY id DESC LIMIT 1),
            m.dossier_id)
        FROM radio_set s JOIN model m ON m.id = s.model_id WHERE s.id = :id""",
        {"id": set_id},
    ).fetchone()
    return int(row[0])


def add(conn: sqlite3.Connection, *, set_id: int, model_id: int, content: str, sha256: str, base_id: int, words: str, at_utc: str) -> int:
    """Keep a dossier as a set's own, as its next version; return the dossier's id. Within a transaction."""
    dossier_id = shelf.add_content(conn, model_id, content, sha256, at_utc)
    point(conn, set_id=set_id, dossier_id=dossier_id, base_id=base_id, words=words, at_utc=at_utc)
    return dossier_id


def point(conn: sqlite3.Connection, *, set_id: int, dossier_id: int | None, base_id: int, words: str, at_utc: str) -> None:
    """Let a dossier that is there be a set's own from now on, as its next version; None: its model's. Within a transaction."""
    conn.execute("UPDATE radio_set SET dossier_id = :dossier_id WHERE id = :set_id", {"dossier_id": dossier_id, "set_id": set_id})
    conn.execute(
        """
        INSERT INTO own_dossier_version (set_id, dossier_id, base_id, words, at_utc)
        VALUES (:set_id, :dossier_id, :base_id, :words, :at_utc)""",
        {"set_id": set_id, "dossier_id": dossier_id, "base_id": base_id, "words": words, "at_utc": at_utc},
    )


def versions(conn: sqlite3.Connection, set_id: int) -> list[VersionRow]:
    """Return the versions of a set's own dossier in their order."""
    rows = conn.execute(
        "SELECT id, dossier_id, base_id, words, at_utc FROM own_dossier_version WHERE set_id = :set_id ORDER BY id", {"set_id": set_id}
    )
    return [VersionRow(*row) for row in rows]
