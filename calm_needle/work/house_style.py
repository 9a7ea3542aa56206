"""The house style as it is kept: read for every run that is begun, changed on its page."""

import json
import sqlite3

from calm_needle.core.procedure.house_style import QUESTIONS, Choice, Question, chosen, usual_style
from calm_needle.errors import FieldsRefused
from calm_needle.store import bench
from calm_needle.store.db import transaction

SETTING = "house style"


def style_of(conn: sqlite3.Connection) -> dict[str, str]:
    """Return what is chosen, by question."""
    kept = bench.setting(conn, SETTING)
    return {**usual_style(), **(json.loads(kept) if kept else {})}


def view(conn: sqlite3.Connection) -> list[tuple[Question, Choice]]:
    """Return each question with what is chosen."""
    return chosen(style_of(conn))


def keep(conn: sqlite3.Connection, form: dict[str, str]) -> None:
    """Keep what was chosen. Raises FieldsRefused for what cannot be; nothing is changed then."""
    said = {q.id: form.get(q.id, q.choices[0].id) for q in QUESTIONS}
    faults = {q.id: "Choose one of these." for q in QUESTIONS if said[q.id] not in {c.id for c in q.choices}}
    if faults:
        raise FieldsRefused(faults)
    with transaction(conn):
        bench.put_setting(conn, SETTING, json.dumps(said))
