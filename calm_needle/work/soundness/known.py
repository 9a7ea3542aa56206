"""What a job knows by itself of what guided work asks: from the dossier, the bench, the sweep of the parts, the safe start.

Nothing is asked twice that was read once; each value says where it comes from and when it was read.
"""

import json
import sqlite3
from collections.abc import Callable
from typing import NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.procedure.series import LEAST_V
from calm_needle.core.soundness.guided.piece import Ask, Known
from calm_needle.core.soundness.safe_start import minutes_at_full
from calm_needle.store import runs
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.places import marks_of
from calm_needle.work.soundness import parts_sweep, safe_start

LEAST_TRIED_TURNS = 0.05


class Value(NamedTuple):
    """A value (SI; infinite for open) or a word, and where it comes from."""

    value: float | str
    source: str


class Tried(NamedTuple):
    """An adjuster that had no peak: how far it was turned (turns), between which readings the needle swung (dB), when, and after which
    change (its id; 0 before any)."""

    adjuster: str
    turns: float
    swung_db: float
    at_utc: str
    after_repair: int


class _Asked(NamedTuple):
    conn: sqlite3.Connection
    job: JobRow
    model: Model
    part: str


def known(conn: sqlite3.Connection, job: JobRow, model: Model, ask: Ask, *, part: str) -> Value | None:
    """Return what the job knows of an ask that is about a part, or None."""
    return _SOURCES[ask.known](_Asked(conn, job, model, part)) if ask.known else None


def tried_in_vain(conn: sqlite3.Connection, job_id: int) -> list[Tried]:
    """Return the adjusters that had no peak on the runs of a job, the newest first; each once, and none that was mended since."""
    found: dict[str, Tried] = {}
    for run in reversed(runs.runs_of_job(conn, job_id)):
        for act in reversed(runs.acts(conn, run.id)):
            detail = json.loads(act.detail) if act.kind == "no_peak" else {}
            if detail.get("tried_turns", 0.0) >= LEAST_TRIED_TURNS and detail["adjuster"] not in found:
                found[detail["adjuster"]] = Tried(detail["adjuster"], detail["tried_turns"], detail["swung"], act.at_utc, act.after_repair)
    return list(found.values())


def _if(asked: _Asked) -> Value:
    return Value(asked.model.if_hz, "the dossier")


def _tried(asked: _Asked) -> Tried | None:
    core = asked.model.core_of(asked.part)
    return next((t for t in tried_in_vain(asked.conn, asked.job.id) if core and t.adjuster == core.id), None)


def _turns_tried(asked: _Asked) -> Value | None:
    tried = _tried(asked)
    return Value(round(tried.turns, 2), f"the bench, {at(tried.at_utc)}") if tried else None


def _change_db(asked: _Asked) -> Value | None:
    tried = _tried(asked)
    return Value(round(tried.swung_db, 1), f"the bench, {at(tried.at_utc)}") if tried else None


def _ohm(asked: _Asked) -> Value | None:
    """The ohms of a winding as last metered, one end lifted."""
    parts = [p for p in asked.model.parts if p.id == asked.part and p.kind == "winding"]
    counted = parts_sweep.counted(asked.conn, asked.job.id, parts).get(asked.part, ())
    lifted = [(m.value, at_utc) for m, at_utc in counted if not m.in_circuit]
    return Value(lifted[-1][0], f"the parts sweep, {at(lifted[-1][1])}") if lifted else None


def _worst_rail(asked: _Asked) -> tuple[safe_start.RailView, float] | None:
    """The rail that is furthest off, and by how much (%); None while none was read at full power."""
    shown = safe_start.view(asked.conn, asked.job.id)
    if shown.start.rung < 0 or shown.rungs[shown.start.rung].share < 1.0:
        return None
    off = [
        (rail, 100.0 * (rail.last_v / rail.point.expected_v - 1.0))
        for rail in shown.rails
        if rail.last_v is not None and rail.point.expected_v and abs(rail.point.expected_v) > LEAST_V
    ]
    return max(off, key=lambda pair: abs(pair[1])) if off else None


def _rail_percent(asked: _Asked) -> Value | None:
    worst = _worst_rail(asked)
    return Value(round(worst[1], 1), f"the safe start: {worst[0].point.name}") if worst else None


def _rail_tolerance(asked: _Asked) -> Value | None:
    worst = _worst_rail(asked)
    return Value(worst[0].point.tolerance_percent, f"the papers: {worst[0].point.name}") if worst else None


def _minutes_on(asked: _Asked) -> Value | None:
    shown = safe_start.view(asked.conn, asked.job.id)
    minutes = minutes_at_full(shown.start, rungs=shown.rungs)
    return Value(round(minutes), "the safe start: minutes at full power") if minutes >= 1.0 else None


def _label(asked: _Asked) -> Value | None:
    on_paper = {a.id for a in asked.model.adjusters}
    found = [m for m in marks_of(asked.conn, asked.job.set_id) if m.label not in on_paper and m.kind != "test point"]
    return Value(found[-1].label, "the chassis map: found, and on no paper") if found else None


def at(at_utc: str) -> str:
    """Return when something was read, as one says it beside a value."""
    return f"{at_utc[:10]} {at_utc[11:16]}"


_SOURCES: dict[Known, Callable[[_Asked], Value | None]] = {
    "if_hz": _if,
    "turns_tried": _turns_tried,
    "change_db": _change_db,
    "ohm": _ohm,
    "rail_percent": _rail_percent,
    "rail_tolerance_percent": _rail_tolerance,
    "minutes_on": _minutes_on,
    "label": _label,
}
