"""What falls due on a job: gathered from its changes, its sweep, what is waited for, and how long the set has been on."""

import sqlite3
from collections.abc import Callable, Sequence
from datetime import date

from calm_needle.clock import now_utc, seconds
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.due import (
    BRIDGE_AFTER_MIN,
    LOOK_AFTER_MIN,
    Look,
    another_day,
    ask_after,
    in_order,
    measure_again,
    peak_again,
    predicted,
    rest_of_can,
    sweep_again,
    warm_look,
)
from calm_needle.core.soundness.entry_judges import LOOKED_AT, NEXT_CHANGE, WARM
from calm_needle.core.soundness.gate import ALIGNMENT
from calm_needle.core.soundness.guided.small_works import SPLICE
from calm_needle.core.soundness.parts_sweep import Part, once_only
from calm_needle.core.soundness.repairs import NEW, Repair, left_in_cans
from calm_needle.core.soundness.safe_start import minutes_at_full
from calm_needle.store import guided as guided_store
from calm_needle.store import part_checks, shelf
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.shelf import parts_of_job
from calm_needle.work.soundness import parts_sweep, repairs, safe_start


def looks(conn: sqlite3.Connection, job: JobRow, *, today: date | None = None) -> list[Look]:
    """Return what is to be looked at again on a job's set, what is due first. today: the day in UTC if not given."""
    today = today or _day(now_utc(conn))

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
    still = entries.still_open(conn, job.id)
    for e in still.get("waiting", ()):
        by = e.detail.get("by")
        found.append(ask_after(e.detail["item"], days=days(e.at_utc), expected_in=(date.fromisoformat(by) - today).days if by else None))
    found += _bridged(conn, job, made)
    found += _of_notes(conn, job, days)
    found += _predicted(conn, job, still.get("prediction", ()), made)
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


def _bridged(conn: sqlite3.Connection, job: JobRow, made: list[Repair]) -> list[Look]:
    """The second measurements of windings that were bridged, until one was read an hour after."""
    spliced = {w.subject for w in guided_store.works_of_job(conn, job.id) if w.piece == SPLICE.name and w.outcome == "through"}
    mended = {r.part: r for r in made if r.part in spliced and r.what == SPLICE.repair}
    checks = part_checks.part_checks(conn, job.id)
    out = []
    for part, repair in mended.items():
        began = seconds(repair.at_utc)
        if not any(c.part == part and seconds(c.at_utc) - began >= 60.0 * BRIDGE_AFTER_MIN for c in checks):
            out.append(measure_again(part, minutes=(seconds(now_utc(conn)) - began) / 60.0))
    return out


def _of_notes(conn: sqlite3.Connection, job: JobRow, days: Callable[[str], int]) -> list[Look]:
    """What notes of the bench ask for: a second sweep of a control, a circuit peaked again."""
    swept: dict[str, list[entries.Entry]] = {}
    for e in entries.of_kind(conn, job.id, "control swept"):
        swept.setdefault(e.detail["part"], []).append(e)
    out = [sweep_again(part, days=days(seen[0].at_utc)) for part, seen in swept.items() if len({e.at_utc[:10] for e in seen}) < 2]
    finished = {m.phase: m.at_utc for m in shelf.phase_marks(conn, job.id).values() if m.state == "done"}
    peaked = max((finished.get(phase, "") for phase in ALIGNMENT), default="")
    moved = [e for e in entries.of_kind(conn, job.id, "cleaned") if e.detail.get("moved") == "yes" and e.at_utc > peaked]
    return out + [peak_again(e.detail["item"]) for e in moved]


def _predicted(conn: sqlite3.Connection, job: JobRow, open_: Sequence[entries.Entry], made: list[Repair]) -> list[Look]:
    """The looks at what was predicted: due once what they wait for has come since."""
    if not open_:
        return []
    marks = shelf.phase_marks(conn, job.id)
    shown = safe_start.view(conn, job.id)
    warm = minutes_at_full(shown.start, rungs=shown.rungs) >= LOOK_AFTER_MIN

    def reached(entry: entries.Entry) -> bool:
        when = entry.detail["when"]
        if when == NEXT_CHANGE:
            return any(r.id > entry.after_repair for r in made)
        mark = marks.get(LOOKED_AT.get(when, ""))
        return warm if when == WARM else bool(mark and mark.state == "done" and mark.at_utc > entry.at_utc)

    return [predicted(e.detail["quantity"], when=e.detail["when"], reached=reached(e)) for e in open_]


def _day(at_utc: str) -> date:
    return date.fromisoformat(at_utc[:10])
