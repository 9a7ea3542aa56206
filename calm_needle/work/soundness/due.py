"""What falls due on a job: gathered from its changes, its sweep, what is waited for, and how long the set has been on."""

import sqlite3
from datetime import date

from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.due import LOOK_AFTER_MIN, Look, another_day, ask_after, in_order, rest_of_can, warm_look
from calm_needle.core.soundness.parts_sweep import Part, once_only
from calm_needle.core.soundness.repairs import NEW, Repair, left_in_cans
from calm_needle.core.soundness.safe_start import minutes_at_full
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.shelf import parts_of_job
from calm_needle.work.soundness import parts_sweep, repairs, safe_start


def looks(conn: sqlite3.Connection, job: JobRow, *, today: date | None = None) -> list[Look]:
    """Return what is to be looked at again on a job's set, what is due first. today: the day in UTC if not given."""
    today = today or _day(now_utc())

    def days(at_utc: str) -> int:
        return (today - _day(at_utc)).days

    parts, made = parts_of_job(conn, job), repairs.of_job(conn, job.id)
    measured = parts_sweep.counted(conn, job.id, parts)
    found = _warm(conn, job, parts, made)
    found += [
        another_day(part.id, days=days(measured[part.id][-1][1]))
        for part in parts_sweep.as_fitted(conn, job.id, parts)
        if once_only(part, [m for m, _ in measured.get(part.id, ())])
    ]
    found += [rest_of_can(can, left=left, days=days(at_utc)) for can, left, at_utc in left_in_cans(made, cans=repairs.cans_of(parts))]
    waiting = entries.still_open(conn, job.id).get("waiting", ())
    found += [ask_after(e.detail["item"], days=days(e.at_utc)) for e in waiting]
    return in_order(found)


def _warm(conn: sqlite3.Connection, job: JobRow, parts: list[Part], made: list[Repair]) -> list[Look]:
    """The looks at resistors that were replaced, until one was looked at warm since."""
    resistors = {p.id for p in parts if p.kind == "resistor"}
    new = {r.part: r.id for r in made if r.what in NEW and r.part in resistors}
    if not new:
        return []
    seen = [
        (e.detail["part"].strip().lower(), e.after_repair)
        for e in entries.of_kind(conn, job.id, "warmth")
        if parse_si(e.detail["minutes"], unit="") >= LOOK_AFTER_MIN
    ]
    shown = safe_start.view(conn, job.id)
    on_min = minutes_at_full(shown.start, rungs=shown.rungs)
    return [
        warm_look(part, on_min=on_min)
        for part, change in new.items()
        if not any(name.split(",")[0].split(" ")[0] == part.lower() and after >= change for name, after in seen)
    ]


def _day(at_utc: str) -> date:
    return date.fromisoformat(at_utc[:10])
