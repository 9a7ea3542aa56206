"""Notes: what a bench writes down while the set is open."""

import sqlite3
from typing import Any

from calm_needle.web.entry_screen import entry_screen
from calm_needle.work.soundness import figures


def _beside(conn: sqlite3.Connection, job_id: int) -> dict[str, Any]:
    settling = figures.settling(conn, job_id)
    return {"settling": settling, "told": figures.worries(conn, job_id, settling)}


screen = entry_screen("notes", _beside)
