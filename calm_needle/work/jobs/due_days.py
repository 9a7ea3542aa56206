"""Everything of the workshop that falls due on a day: checks of instruments, and what jobs wait for."""

import json
import sqlite3
from collections.abc import Callable, Mapping
from datetime import date

from calm_needle.clock import clock_of
from calm_needle.files.calendar_file import DueDay, write_calendar
from calm_needle.store import intake, shelf
from calm_needle.work.verification import instruments_register


def days(conn: sqlite3.Connection) -> list[DueDay]:
    """Return what falls due, day by day."""
    out = []
    for line in instruments_register.lines(conn):
        if line.due_on:
            words = f"{line.name}: check its {line.quantity}"
            out.append(DueDay(date.fromisoformat(line.due_on), words, line.sure.words, f"check-{line.instrument}-{line.quantity}"))
    for entry_id, job_id, kind, detail in intake.open_entries(conn):
        if kind not in WORDED:
            continue
        job = shelf.job(conn, job_id)
        name = f"{job.model_name} no. {job.serial}" if job else f"job {job_id}"
        if due := WORDED[kind](name, json.loads(detail), f"{kind}-{entry_id}"):
            out.append(due)
    return sorted(out)


def _expected(name: str, detail: Mapping[str, str], uid: str) -> DueDay | None:
    held = f"It holds up {detail['blocks']}." if detail.get("blocks") else ""
    return DueDay(date.fromisoformat(detail["by"]), f"{name}: {detail['item']} is expected", held, uid) if detail.get("by") else None


def _appointment(name: str, detail: Mapping[str, str], uid: str) -> DueDay:
    at = f" at {detail['at']}" if detail.get("at") else ""
    return DueDay(date.fromisoformat(detail["on"]), f"{name}: {detail['what']}{at}", "", uid)


WORDED: dict[str, Callable[[str, Mapping[str, str], str], DueDay | None]] = {"waiting": _expected, "appointment": _appointment}


def calendar(conn: sqlite3.Connection) -> bytes:
    """Return what falls due as iCalendar."""
    return write_calendar(days(conn), at=clock_of(conn).utc())
