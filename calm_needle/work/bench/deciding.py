"""What a run is asked at the end of a group: the decision by its core, with what the rest of the job knows."""

import json
import sqlite3
from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.procedure.decision import Decision, Option
from calm_needle.core.procedure.decisions import DECISIONS
from calm_needle.core.procedure.run import RunState
from calm_needle.errors import FieldsRefused
from calm_needle.store import runs
from calm_needle.work.jobs.carriers import known_carriers
from calm_needle.work.jobs.pointer import pointer_of
from calm_needle.work.jobs.wishes import wished

STRIP_PHASE = "intermediate frequency"


def decision_of(conn: sqlite3.Connection, *, model: Model, state: RunState, job_id: int, asked: Mapping[str, Any]) -> Decision | None:
    """Return what is to be decided where a run stands; None where that is another round."""
    if state.stage != "decision" or state.place is None:
        return None
    group = state.plan.group(state.place.group_id)
    if not group.decides:
        return None
    style = state.plan.style
    known = {
        "touch_up": style.get("within") == "touch-up",
        "aim": style.get("aim"),
        "peaks": style.get("peaks"),
        "means": state.plan.means,
        "strip_hz": strip_hz(conn, job_id),
        "pointer": pointer_of(conn, job_id),
        "carriers": known_carriers(conn),
        **wishes_here(conn, model=model, state=state, job_id=job_id),
        **asked,
    }
    return DECISIONS[group.decides](model, state, group, known)


def wishes_here(conn: sqlite3.Connection, *, model: Model, state: RunState, job_id: int) -> dict[str, Any]:
    """Return what the owner wants of the band that the group in hand is about, as a decision takes it; empty where it is about none."""
    group = state.plan.group(state.place.group_id) if state.place else None
    tuning = group.steps[0].set_up.tuning if group and group.steps else None
    return wished(conn, job_id, model, tuning.band) if tuning and tuning.band else {}


def option_of(decision: Decision | None, choice: str) -> Option:
    """Return the option that was chosen. Raises FieldsRefused for one that is not offered."""
    option = decision.option(choice) if decision else None
    if option is None:
        raise FieldsRefused({"option": "That is not among what can be done here; choose one of those that are shown."})
    return option


def strip_hz(conn: sqlite3.Connection, job_id: int) -> float | None:
    """Return where the strip peaked when its pass-band was last measured in this job (Hz); None where it never was."""
    for run in reversed([r for r in runs.runs_of_job(conn, job_id) if r.phase == STRIP_PHASE]):
        for act in reversed(runs.acts(conn, run.id)):
            band = json.loads(act.detail).get("passband") if act.kind == "take" else None
            if band:
                return (
                    float(band["low_hz"] + band["high_hz"]) / 2.0 if band.get("low_hz") and band.get("high_hz") else float(band["peak_hz"])
                )
    return None
