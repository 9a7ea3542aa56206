"""The figures of a job that settle a worry: sensitivities beside the papers', what the last round left, dial errors, noise in the room."""

import json
import sqlite3
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.quantities import format_si
from calm_needle.core.verdict import State, Verdict
from calm_needle.store import runs
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import bands


class Settling(NamedTuple):
    """One test that bears on a worry: what it is, how it stands (blank: not done), its figure, and a word by which people name it."""

    name: str
    state: State
    figure: str
    known_by: str


def settling(conn: sqlite3.Connection, job_id: int) -> list[Settling]:
    """Return the tests by which a worry is settled, as far as this job has them. Raises NotFound."""
    job = job_of(conn, job_id)
    out = []
    for line in bands.view(conn, job_id).lines:
        if line.level:
            book = f", the papers say {format_si(line.readings.book_v, unit='V', digits=2)}" if line.readings.book_v else ""
            state: State = "good" if line.verdict.state == "good" else "watch"
            out.append(
                Settling(
                    f"sensitivity on {line.band.name}",
                    state,
                    f"{line.level} by the {line.readings.coupling or 'generator'}{book}",
                    "sensitiv",
                )
            )
    if not out:
        out.append(Settling("sensitivity against its class", "blank", "not measured on any band", "sensitiv"))
    rounds = [
        detail["sentence"]
        for run in runs.runs_of_job(conn, job.id)
        for act in runs.acts(conn, run.id)
        if act.kind == "decide" and (detail := json.loads(act.detail)).get("sentence")
    ]
    out.append(
        Settling(
            "what the last round left", "good" if rounds else "blank", rounds[-1] if rounds else "no round was decided on yet", "round"
        )
    )
    noise = [e for e in entries.of_kind(conn, job_id, "room noise") if e.judged]
    said = f"{noise[-1].detail['source']}, {noise[-1].detail['band']}: {noise[-1].judged.sentence}" if noise and noise[-1].judged else ""
    out.append(
        Settling("noise in the room", noise[-1].judged.state if noise and noise[-1].judged else "blank", said or "not read", "noise")
    )
    return out


def worries(conn: sqlite3.Connection, job_id: int, tests: Sequence[Settling]) -> dict[int, Verdict]:
    """Return what the tests that each open worry named say of it, by the entry's id; worries that name none of them have no verdict."""
    out = {}
    for entry in entries.of_kind(conn, job_id, "worry"):
        named = [t for t in tests if t.known_by in entry.detail["tests"].lower()]
        if named and not entry.ended:
            out[entry.id] = settled_by(named)
    return out


def settled_by(named: Sequence[Settling]) -> Verdict:
    """Return what the tests that were named say together: normal where all have passed, a fault where one has not."""
    evidence = tuple(f"{t.name}: {t.figure}" for t in named)
    if undone := [t.name for t in named if t.state == "blank"]:
        return Verdict("watch", f"Not settled: {', '.join(undone)} to be done.", evidence)
    if failed := [t.name for t in named if t.state != "good"]:
        return Verdict("stop", f"A fault, by {' and '.join(failed)}.", evidence)
    return Verdict("good", "All that it named has passed: a characteristic.", evidence)
