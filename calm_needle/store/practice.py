"""Which faults a practice set was given: known to the simulated bench, shown to nobody."""

import sqlite3


def add_fault(conn: sqlite3.Connection, *, set_id: int, fault: str) -> None:
    """Give a practice set a fault of its dossier's simulation."""
    conn.execute("INSERT INTO practice_fault (set_id, fault) VALUES (:set_id, :fault)", {"set_id": set_id, "fault": fault})


def faults_of_set(conn: sqlite3.Connection, set_id: int) -> list[str]:
    """Return the faults of a practice set."""
    rows = conn.execute("SELECT fault FROM practice_fault WHERE set_id = :set_id ORDER BY fault", {"set_id": set_id})
    return [str(row[0]) for row in rows]
