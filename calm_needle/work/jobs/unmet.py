"""Phases that were finished with something outside its limits, or with steps left out, and the reasons that were given."""

import json
import sqlite3
from typing import NamedTuple

from calm_needle.core.procedure.phases import PHASE_NAMES
from calm_needle.store import runs

NAMED = 2  # steps left out that are named one by one


class Unmet(NamedTuple):
    """A phase, and what its last finished run left undone, in words."""

    phase: str
    words: str


def left_unmet(conn: sqlite3.Connection, job_id: int) -> list[Unmet]:
    """Return what the last finished run of each phase of a job left outside its limits or left out, in the order of the work."""
    found: dict[str, list[Unmet]] = {}
    for run in runs.runs_of_job(conn, job_id):
        for act in runs.acts(conn, run.id):
            if act.kind == "finish":
                found[run.phase] = _of(run.phase, json.loads(act.detail))
    return [unmet for name in PHASE_NAMES for unmet in found.get(name, ())]


def _of(phase: str, detail: dict[str, list[str] | str]) -> list[Unmet]:
    out = []
    if unmet := detail.get("unmet"):
        out.append(Unmet(phase, f"{phase}: {' '.join(unmet)} Left so: {detail['reason']}"))
    if left_out := list(detail.get("left_out", ())):
        more = f"; and {len(left_out) - NAMED} more" if len(left_out) > NAMED else ""
        out.append(Unmet(phase, f"{phase}: left out: {'; '.join(left_out[:NAMED])}{more}"))
    return out
