"""What was turned at the bench, and which measurements it invalidates: an adjuster of one band, those of that band alone."""

import json
import sqlite3
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import TUNING_ID, Model
from calm_needle.core.procedure.stale import STILL_TURNS, touches_band
from calm_needle.store import runs


class Turning(NamedTuple):
    """An adjuster that was turned: in which act, and the phase of its run."""

    act_id: int
    adjuster: str
    phase: str


def turnings(conn: sqlite3.Connection, job_id: int) -> list[Turning]:
    """Return what was turned in the runs of a job, as far as anybody knows, in order: where nobody counted, it was turned."""
    out: list[Turning] = []
    adjusters: dict[int, dict[str, list[str]]] = {}
    for row in runs.turning_acts(conn, job_id):
        if row.net_turns is not None and abs(row.net_turns) <= STILL_TURNS:
            continue
        if row.run_id not in adjusters:
            groups = [g for some in runs.groups_of_run(conn, row.run_id) for g in json.loads(some)]
            adjusters[row.run_id] = {s["id"]: s.get("adjusters", []) for g in groups for s in g["steps"]}
        out += [Turning(row.act_id, a, row.phase) for a in adjusters[row.run_id].get(row.step_id, ()) if a != TUNING_ID]
    return out


def turned_since(model: Model, turned: Sequence[Turning], band: str, after_act: int) -> str:
    """Return why a measurement on a band does not count, where something that serves the band was turned after it; else empty."""
    names = {a.id: a.name for a in model.adjusters}
    last = next((t for t in reversed(turned) if t.act_id > after_act and touches_band(model, t.adjuster, band)), None)
    return f"{names.get(last.adjuster, last.adjuster)} was turned since, {last.phase}" if last else ""
