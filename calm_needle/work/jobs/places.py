"""Where things were found on a set, for everything that shows its chassis."""

import sqlite3
from typing import cast

from calm_needle.core.dossier.chassis_map import Mark, with_places
from calm_needle.core.dossier.model import Model, Side
from calm_needle.store import map_marks


def marks_of(conn: sqlite3.Connection, set_id: int) -> list[Mark]:
    """Return what was found on a set."""
    return [
        Mark(r.label, r.kind, cast(Side, r.side), r.x_mm, r.y_mm, r.remarks)
        for r in map_marks.marks_of_set(conn, set_id)
        if r.x_mm is not None and r.y_mm is not None
    ]


def placed_model(conn: sqlite3.Connection, model: Model, set_id: int) -> Model:
    """Return a set's model with its adjusters where they were found."""
    return with_places(model, marks_of(conn, set_id))
