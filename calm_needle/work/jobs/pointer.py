"""How a set's pointer comes back to a mark, as it was last measured in any of its jobs: it is kept for the set."""

import sqlite3

from calm_needle.core.procedure.dial.pointer import Pointer
from calm_needle.store import runs


def pointer_of(conn: sqlite3.Connection, job_id: int) -> Pointer | None:
    """Return how the pointer of a job's set comes back; None where nobody has measured it."""
    kept = runs.last_pointer(conn, job_id)
    return None if kept is None else Pointer(**kept)
