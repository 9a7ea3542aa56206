"""Two windows on one job: the later one is told, and overwrites nothing.

A page carries the number of the last entry it was showing (`seen`); what is sent with an older number is refused. A form without a
number, as a script of somebody's own may send, is taken.
"""

import sqlite3
from collections.abc import Callable

from calm_needle.errors import JobMovedOn
from calm_needle.store import revisions as store

THINGS: dict[str, tuple[str, Callable[[sqlite3.Connection, int], int]]] = {
    "start": ("the safe start", store.last_start_entry),
    "bands": ("the bands", store.last_band_check),
    "repairs": ("the changes", store.last_repair),
    "phases": ("the phases", store.last_phase_mark),
    "guided": ("this piece of work", store.last_answer),
    "dossier": ("the dossier of this set", store.last_dossier_version),
}


def seen(conn: sqlite3.Connection, thing: str, owner_id: int) -> int:
    """Return the number that a page of this thing carries. owner_id: the job, or the guided work."""
    return THINGS[thing][1](conn, owner_id)


def check(conn: sqlite3.Connection, thing: str, owner_id: int, form: dict[str, str]) -> None:
    """Raise JobMovedOn when something was written since the form's page was made."""
    check_number(THINGS[thing][0], seen(conn, thing, owner_id), form)


def check_number(words: str, now: int, form: dict[str, str]) -> None:
    """Raise JobMovedOn when a form carries another number than the one that counts now."""
    carried = form.get("seen", "")
    if carried and carried != str(now):
        raise JobMovedOn(words)
