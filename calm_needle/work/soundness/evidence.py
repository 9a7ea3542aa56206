"""What a job's readings say is wrong, as evidence for guided work: gathered from the sweep, the bands, the bench, the start, the map."""

import json
import math
import sqlite3
from collections.abc import Iterator
from typing import cast

from calm_needle.core.dossier.model import Model
from calm_needle.core.soundness.coverage import at_one_angle, judge_coverage
from calm_needle.core.soundness.entry_judges import judge_gang_short
from calm_needle.core.soundness.guided.offers import Evidence, Points
from calm_needle.core.soundness.guided.open_capacitor import HARDLY_DB_PER_TURN
from calm_needle.core.soundness.repairs import UNDER_THE_IRON
from calm_needle.store import intake, repairs, runs
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import gang, journal, oscillator
from calm_needle.work.jobs.places import marks_of
from calm_needle.work.jobs.shelf import model_of_dossier
from calm_needle.work.soundness import bands, known, parts_sweep


def of_job(conn: sqlite3.Connection, job: JobRow) -> list[Evidence]:
    """Return what was found, in the order in which a set is gone through; what was mended since says nothing any more."""
    model = model_of_dossier(conn, job.dossier_id)
    return [
        *_of_the_start(conn, job),
        *_of_the_parts(conn, job),
        *_of_the_bands(conn, job, model),
        *_of_the_bench(conn, job, model),
        *_of_the_map(conn, job, model),
        *_of_the_gang(conn, job, model),
    ]


def _of_the_start(conn: sqlite3.Connection, job: JobRow) -> Iterator[Evidence]:
    for row in journal.of_job(conn, job.id).open:
        if row.want.points_to:
            yield Evidence(cast(Points, row.want.points_to), "", row.want.words)


def _of_the_parts(conn: sqlite3.Connection, job: JobRow) -> Iterator[Evidence]:
    lines = (line for _, here, _ in parts_sweep.view(conn, job.id).regions for line in here if line.verdict.state == "out")
    for line in lines:
        if line.part.kind == "winding" and line.value == math.inf:
            yield Evidence("winding open", line.part.id, f"{line.part.name} reads open in the parts sweep")
        elif line.part.kind == "winding" and line.value and line.value > line.part.nominal:
            yield Evidence("winding high", line.part.id, f"{line.part.name} has more ohms than it should: {line.verdict.sentence}")
        elif line.part.kind == "device":
            yield Evidence("emission low", line.part.id, f"{line.part.name}: {line.verdict.sentence}")


def _of_the_bands(conn: sqlite3.Connection, job: JobRow, model: Model) -> Iterator[Evidence]:
    windings = {p.id for p in model.parts if p.kind == "winding"}
    mended = {r.part for r in repairs.repairs_of_job(conn, job.id) if r.what in UNDER_THE_IRON}
    for line in bands.view(conn, job.id).lines:
        coil = str(line.band.signal_tank.get("coil", ""))
        if line.coil == "open" and coil not in mended:
            yield Evidence("winding open", coil if coil in windings else "", f"the aerial coil of {line.band.name} reads open")


def _of_the_bench(conn: sqlite3.Connection, job: JobRow, model: Model) -> Iterator[Evidence]:
    windings = {core.id: p.id for p in model.parts if p.kind == "winding" and (core := model.core_of(p.id))}
    names = {a.id: a.phrase for a in model.adjusters}
    mended = {r.part: r.id for r in repairs.repairs_of_job(conn, job.id) if r.what in UNDER_THE_IRON}
    # What hardly moved the needle comes first: a core that moves it by decibels has its circuit, whatever keeps it from a peak.
    for tried in sorted(known.tried_in_vain(conn, job.id), key=lambda t: t.swung_db / t.turns):
        part = windings.get(tried.adjuster, "")
        if mended.get(part, 0) > tried.after_repair:
            continue
        said = f"{names.get(tried.adjuster, tried.adjuster)} changed the reading by {tried.swung_db:.1f} dB in {tried.turns:.1f} turns"
        answers = tried.swung_db / tried.turns >= HARDLY_DB_PER_TURN
        yield Evidence("answers without a peak" if answers else "no answer" if part else "answers to nothing known", part, said)
    padders = {str(b.oscillator_tank.get("padder")) for b in model.bands if b.oscillator_tank.get("padder")}
    for run in runs.runs_of_job(conn, job.id):
        for found in runs.findings(conn, run.id):
            if found.accuses in padders and found.accuses not in mended:
                yield Evidence("padder off", str(found.accuses), found.sentence)


def _of_the_map(conn: sqlite3.Connection, job: JobRow, model: Model) -> Iterator[Evidence]:
    on_paper = {a.id for a in model.adjusters}
    for mark in marks_of(conn, job.set_id):
        if mark.label not in on_paper and mark.kind != "test point":
            yield Evidence("unmarked", "", f"{mark.label} was found and is on no paper")


def _of_the_gang(conn: sqlite3.Connection, job: JobRow, model: Model) -> Iterator[Evidence]:
    if at_one_angle(picked := oscillator.picked_last(conn, job.id, model)):
        said = judge_coverage(picked, names={b.id: b.name for b in model.bands}).sentence
        yield Evidence("gang touches", "", said)
    if (verdict := gang.view(conn, job.id, model).verdict).state == "stop":
        yield Evidence("gang unequal", "", verdict.sentence)
    for entry in intake.entries_of_job(conn, job.id):
        detail = json.loads(entry.detail)
        if entry.kind == "gang short" and judge_gang_short(detail).state == "stop":
            yield Evidence("gang touches", "", f"{detail['section']} touches at {detail['angle']}")
        elif entry.kind == "revived" and entry.ended_utc is None:
            yield Evidence("does not repeat", "", f"{detail['band']} came alive when {detail['adjuster']} was screwed")
