"""Tests that a set must pass before money is spent on it: coils, transformer, gang; what each has shown so far."""

import sqlite3
from typing import NamedTuple

from calm_needle.core.verdict import State
from calm_needle.work.jobs import entries, gang
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness import bands, parts_sweep

DUE: tuple[State, str] = ("blank", "to be done")


class MustPass(NamedTuple):
    """One such test: what it is, how it stands (blank: to be done), what it showed, and the screen where it is done."""

    name: str
    state: State
    said: str
    screen: str


def tests(conn: sqlite3.Connection, job_id: int) -> list[MustPass]:
    """Return the tests that come before money, as they stand. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    lines = bands.view(conn, job_id).lines
    left = [line.band.name for line in lines if line.readings.coil_ohm is None]
    open_ones = [line.band.name for line in lines if line.coil == "open"]
    coils: tuple[State, str] = ("good", "all whole")
    if open_ones:
        coils = ("stop", f"open on {', '.join(open_ones)}")
    elif left:
        coils = ("blank", f"to be metered: {', '.join(left)}")
    sweep = [line for _, here, _ in parts_sweep.view(conn, job_id).regions for line in here]
    fed = [line for line in sweep if line.part.kind == "winding" and model.work_of_winding(line.part) in ("power", "audio")]
    bad = [line.part.name for line in fed if line.verdict.state == "out"]
    unread = [line.part.name for line in fed if line.verdict.state == "blank"]
    transformers: tuple[State, str] = ("good", "windings in order") if fed else DUE
    if bad:
        transformers = ("stop", ", ".join(bad))
    elif unread:
        transformers = ("blank", f"to be metered: {', '.join(unread)}")
    shorts = [e.judged for e in entries.of_kind(conn, job_id, "gang short") if e.judged]
    section = gang.view(conn, job_id, model).verdict
    said = shorts[-1] if shorts else section
    return [
        MustPass("aerial coils", *coils, "bands"),
        MustPass("transformers", *transformers, "parts"),
        MustPass("gang", said.state, DUE[1] if said.state == "blank" else said.sentence, "dial"),
    ]
