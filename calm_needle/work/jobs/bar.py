"""The bar that every page of a job carries: which set, on or off, how far its phases are, the run in hand, what is open."""

import sqlite3
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.dossier.fit import set_card
from calm_needle.core.procedure.phases import PHASES
from calm_needle.store import photographs, runs
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import open_list
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, phases_of
from calm_needle.work.soundness.power import Power, power_of


class BarPhase(NamedTuple):
    """A phase in the bar: its short name, how it stands, the screen that is its own (empty: the job's page), its run if one is in hand."""

    name: str
    short: str
    state: str
    page: str
    run_id: int | None


@dataclass(frozen=True)
class JobBar:
    """What the bar shows. practice: whether its set is a practice set, which the program switches by itself."""

    job: JobRow
    power: Power
    practice: bool
    phases: tuple[BarPhase, ...]
    run_id: int | None
    open_ends: int
    card: list[str]  # what one keeps in the head of the set
    photographs: tuple[tuple[int, str], ...]  # what may be laid beside a page, the newest first: number and what it shows


def job_bar(conn: sqlite3.Connection, job_id: int, *, stand_ins: bool = False) -> JobBar:
    """Return the bar of a job. stand_ins: whether the instruments on the bench are simulated. Raises NotFound."""
    job = job_of(conn, job_id)
    lines = {line.name: line for line in phases_of(conn, job)}
    phases = tuple(
        BarPhase(p.name, p.short, lines[p.name].state, p.page, lines[p.name].run_id if lines[p.name].state == "running" else None)
        for p in PHASES
        if not p.if_needed
    )
    running = next((p.run_id for p in phases if p.run_id), None)
    open_ends, card = len(open_list.open_list(conn, job)), set_card(model_of_dossier(conn, job.dossier_id))
    pictures = tuple((p.id, p.caption) for p in reversed(photographs.photographs_of_job(conn, job_id)))
    practice = stand_ins and job.bench == "instruments"
    return JobBar(job, power_of(conn, job_id), practice, phases, running, open_ends, card, pictures)


def job_of_run(conn: sqlite3.Connection, run_id: int) -> int | None:
    """Return the job that a run belongs to, or None for a run that is not there."""
    run = runs.run(conn, run_id)
    return run.job_id if run else None
