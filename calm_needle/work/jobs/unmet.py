"""Phases that were finished with something outside its limits, and the reason that was given."""

import json
import sqlite3
from typing import NamedTuple

from calm_needle.core.procedure.phases import PHASE_NAMES
from calm_needle.store import runs


class Unmet(NamedTuple):
    """A phase, what its last finished run left outside its limits, and why."""

    phase: str
    left: tuple[str, ...]
    reason: str

    @property
    def words(self) -> str:
        return f"{self.phase}: {' '.join(self.left)} Left so: {self.reason}"


def left_unmet(conn: sqlite3.Connection, job_id: int) -> list[Unmet]:
    """Return the phases of a job whose last finished run left something outside its limits, in the order of the work."""
    found: dict[str, Unmet | None] = {}
    for run in runs.runs_of_job(conn, job_id):
        for act in runs.acts(conn, run.id):
            if act.kind == "finish":
                detail = json.loads(act.detail)
                left = tuple(detail.get("unmet", ()))
                found[run.phase] = Unmet(run.phase, left, detail["reason"]) if left else None
    return [u for name in PHASE_NAMES if (u := found.get(name))]
