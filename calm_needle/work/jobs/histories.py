"""Histories: a set over its jobs, a model over its sets, and the queue of the workshop with what its own past says of it."""

import json
import sqlite3
import statistics
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import cache, partial
from typing import NamedTuple

from calm_needle.clock import seconds
from calm_needle.core.form import Ask, read_form
from calm_needle.core.procedure.phases import PHASES
from calm_needle.core.queueing import FEWEST, Planned, Waiting, bench_minutes, in_order, minutes_of
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import histories as store
from calm_needle.store import measurements, runs, shelf
from calm_needle.store.db import remembered
from calm_needle.store.shelf import JobRow, ModelRow
from calm_needle.work.jobs import entries, rehearsed
from calm_needle.work.jobs.shelf import model_of_dossier, phases_of

MOST_JOBS = 60
ASKS = (
    Ask("day", "Ready by", None, "2026-12-12", optional=True),
    Ask("hours", "Hours at the bench until then", "", "12", optional=True),
)


class PartHistory(NamedTuple):
    """A part of a model over its sets: how often it was changed, in how many sets."""

    name: str
    changed: int
    sets: int


class AdjusterHistory(NamedTuple):
    """An adjuster of a model over its sets: in how many it was turned, by how much in the mean and in the spread (turns), which way."""

    name: str
    sets: int
    mean_turns: float
    spread_turns: float

    @property
    def way(self) -> str:
        """Which way it drifts, where the mean is more than chance leaves."""
        chance = 2.0 * self.spread_turns / self.sets**0.5
        if self.sets < 3 or abs(self.mean_turns) <= max(chance, 0.05):
            return f"not to be told from {self.sets} set{'' if self.sets == 1 else 's'}"
        return "clockwise" if self.mean_turns > 0 else "anticlockwise"


@dataclass(frozen=True)
class ModelHistory:
    """A model over its sets."""

    model: ModelRow
    jobs: int
    parts: list[PartHistory]
    adjusters: list[AdjusterHistory]
    rehearsed: dict[str, list[float]]  # minutes, by phase


class SetJob(NamedTuple):
    """A job of a set in its history: what was complained of, what was changed, what it measured in the end."""

    job: JobRow
    changed: str
    measured: str


@dataclass(frozen=True)
class Queue:
    """The queue in the order it is best done; own: phases whose minutes are the workshop's own; rehearsed: models whose are rehearsed."""

    planned: list[Planned]
    meanwhile: list[str]
    day: str
    own: list[str]
    rehearsed: list[str]
    total_min: float


@remembered
def of_model(conn: sqlite3.Connection, key: str) -> ModelHistory:
    """Return a model over its sets. Raises NotFound."""
    model = shelf.model_by_key(conn, key)
    if model is None:
        raise NotFound("model", key[:30])
    jobs = store.jobs_of_model(conn, model.id)
    dossier = model_of_dossier(conn, model.dossier_id)
    names = {p.id: p.name for p in dossier.parts}
    changed: Counter[str] = Counter()
    in_sets: dict[str, set[int]] = {}
    for job_id, set_id in jobs:
        for part in store.parts_put_right(conn, job_id):
            changed[part] += 1
            in_sets.setdefault(part, set()).add(set_id)
    parts = [PartHistory(names.get(p, p), n, len(in_sets[p])) for p, n in changed.most_common(20)]
    turned: dict[str, list[float]] = {}
    for job_id, _ in jobs:
        for adjuster, turns in _turned(conn, job_id).items():
            turned.setdefault(adjuster, []).append(turns)
    called = {a.id: a.name for a in dossier.adjusters}
    adjusters = [
        AdjusterHistory(called.get(a, a), len(t), statistics.fmean(t), statistics.stdev(t) if len(t) > 1 else 0.0)
        for a, t in sorted(turned.items())
    ]
    return ModelHistory(model, len(jobs), parts, adjusters, rehearsed.minutes(conn, model.dossier_id))


def _turned(conn: sqlite3.Connection, job_id: int) -> dict[str, float]:
    """How far each adjuster was turned in a job's first run of its phase, where that was counted: what it had drifted."""
    out: dict[str, float] = {}
    done: set[str] = set()
    for run in runs.runs_of_job(conn, job_id):
        if run.phase in done:
            continue
        done.add(run.phase)
        plan = json.loads(runs.plan_of_run(conn, run.id))
        turns_what = {s["id"]: (s.get("adjusters") or [None])[0] for g in plan.get("groups", ()) for s in g.get("steps", ())}
        for act in runs.acts(conn, run.id):
            detail = json.loads(act.detail)
            adjuster = turns_what.get(str(detail.get("step_id")))
            if act.kind == "take" and adjuster and detail.get("net_turns") is not None:
                out[adjuster] = out.get(adjuster, 0.0) + float(detail["net_turns"])
    return out


def of_set(conn: sqlite3.Connection, set_id: int) -> list[SetJob]:
    """Return a set over its jobs, the oldest first."""
    out = []
    for job_id in store.jobs_of_set(conn, set_id):
        job = shelf.job(conn, job_id)
        assert job is not None
        changed = store.parts_changed(conn, job_id)
        figures = []
        for row in measurements.of_job(conn, job_id):
            if row.kind == "sensitivity" and row.struck is None:
                values = json.loads(row.measured)
                figures.append(f"{row.band} {values['level_v'] * 1e6:.3g} µV by {DEFINITIONS[values['definition']].short}")
        out.append(SetJob(job, ", ".join(changed), "; ".join(dict.fromkeys(figures))))
    return out


@remembered
def queue(conn: sqlite3.Connection, *, day: str = "", hours: float = 0.0) -> Queue:
    """Return the jobs that are not done, in the order in which most are ready by a day, with what may go on while another waits."""
    own, waiting = _own_minutes(conn), []
    practised = cache(partial(rehearsed.minutes, conn))
    for job in shelf.newest_jobs(conn, limit=MOST_JOBS):
        lines = phases_of(conn, job)
        left = tuple(p.name for p in lines if p.state != "done" and not _if_needed(p.name))
        if not left:
            continue
        held = [e.detail for e in entries.still_open(conn, job.id).get("waiting", ())]
        until = max((d.get("by", "") for d in held), default="")
        minutes = sum(minutes_of(p, own, practised(job.dossier_id)) for p in left)
        waiting.append(Waiting(job.id, f"{job.model_name} no. {job.serial}", left, minutes, held[0]["item"] if held else "", until))
    planned = in_order(waiting, day=day, minutes=60.0 * hours if hours else float("inf"))
    able = [p.job for p in planned if not p.job.waits_for]
    meanwhile = [
        f"While {p.job.name} waits for {p.job.waits_for}, {able[0].name} can go on: {able[0].phases[0]}."
        for p in planned
        if p.job.waits_for and able
    ]
    warming = [p.job for p in planned if "safe start" in p.job.phases or "verification" in p.job.phases]
    if warming and len(able) > 1:
        other = next((j for j in able if j.job_id != warming[0].job_id), able[0])
        meanwhile.append(f"While {warming[0].name} warms up, some fifteen minutes, papers and parts of {other.name} can be seen to.")
    enough = [name for name, mine in own.items() if len(mine) >= FEWEST]
    models = {m.dossier_id: m.name for m in shelf.models(conn)}
    known = sorted(name for dossier_id, name in models.items() if practised(dossier_id))
    return Queue(planned, meanwhile, day, enough, known, sum(w.minutes for w in waiting))


def asked(form: Mapping[str, str]) -> tuple[str, float]:
    """Return the day and the hours that were typed. Raises FieldsRefused."""
    typed = read_form(ASKS, form)
    faults = dict(typed.faults)
    day = typed.texts.get("day", "")
    if day:
        try:
            date.fromisoformat(day)
        except ValueError:
            faults["day"] = "Write the day as 2026-12-12."
    if faults:
        raise FieldsRefused(faults)
    hours = typed.values.get("hours")
    return day, hours if isinstance(hours, float) else 0.0


def _if_needed(name: str) -> bool:
    return next(p.if_needed for p in PHASES if p.name == name)


def _own_minutes(conn: sqlite3.Connection) -> dict[str, list[float]]:
    """How many minutes at the bench each finished run of a phase took, by phase."""
    out: dict[str, list[float]] = {}
    for phase, times in store.times_of_finished_runs(conn):
        out.setdefault(phase, []).append(bench_minutes(sorted(seconds(t) for t in times)))
    return out
