"""Where adjusters and test points were found on a set's chassis; the last mark of a label counts."""

import sqlite3
from typing import NamedTuple


class MarkRow(NamedTuple):
    label: str
    kind: str
    side: str
    x_mm: float | None
    y_mm: float | None
    remarks: str
    at_utc: str


def add_mark(
    conn: sqlite3.Connection,
    *,
    set_id: int,
    label: str,
    kind: str,
    side: str,
    x_mm: float | None,
    y_mm: float | None,
    remarks: str,
    at_utc: str,
) -> None:
    """Keep where something was found; without a place it is taken off the map again."""
    conn.execute(
        """
        INSERT INTO map_mark (set_id, label, kind, side, x_mm, y_mm, remarks, at_utc)
        VALUES (:set_id, :label, :kind, :side, :x_mm, :y_mm, :remarks, :at_utc)""",
        {
            "set_id": set_id,
            "label": label,
            "kind": kind,
            "side": side,
            "x_mm": x_mm,
            "y_mm": y_mm,
            "remarks": remarks,
            "at_utc": at_utc,
        },
    )


def marks_of_set(conn: sqlite3.Connection, set_id: int) -> list[MarkRow]:
    """Return the marks that are on the map: the last of each label that has a place."""
    rows = conn.execute(
        """
        SELECT label, kind, side, x_mm, y_mm, remarks, at_utc FROM map_mark
        WHERE id IN (SELECT max(id) FROM map_mark WHERE set_id = :set_id GROUP BY label) AND x_mm IS NOT NULL ORDER BY id""",
        {"set_id": set_id},
    )
    return [MarkRow(*row) for row in rows]
