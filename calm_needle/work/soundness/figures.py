"""The figures of a job that settle a worry: sensitivities, what the last round left, dial errors, the noise that an aerial brings."""

import json
import sqlite3
from collections.abc import Iterator, Sequence

from calm_needle.core.dossier.model import Model
from calm_needle.core.quantities import format_si
from calm_needle.core.soundness.band_health import judge_level
from calm_needle.core.soundness.worries import Settling, settled_by
from calm_needle.core.verdict import Verdict
from calm_needle.store import runs
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.dial import dial_errors
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness import bands
from calm_needle.work.verification import measuring


def settling(conn: sqlite3.Connection, job_id: int) -> list[Settling]:
    """Return the tests by which a worry is settled, as far as this job has them. Raises NotFound."""
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    return [
        *_sensitivities(conn, job_id),
        _last_round(conn, job_id),
        *_dial(conn, job_id, model),
        _noise_rise(conn, job_id),
    ]


def _sensitivities(conn: sqlite3.Connection, job_id: int) -> Iterator[Settling]:
    """Measured by a definition and judged by the service data, where that was done; else by the level of the band check."""
    verified = {t.band: t for t in measuring.standing(conn, job_id) if t.measure.name == "sensitivity" and t.limit and not t.by_ear}
    lines = bands.view(conn, job_id).lines
    rows = [line.readings for line in lines]
    known = False
    for line in lines:
        name = f"sensitivity on {line.band.name}"
        if (t := verified.get(line.band.id)) is not None:
            known = True
            yield Settling(name, t.against.state, f"{t.main.shown}: {t.against.sentence}", "sensitiv")
        elif line.level:
            known = True
            book = f", the papers say {format_si(line.readings.book_v, unit='V', digits=2)}" if line.readings.book_v else ""
            figure = f"{line.level} by the {line.readings.coupling or 'generator'}{book}"
            yield Settling(name, judge_level(line.readings, rows).state, figure, "sensitiv")
    if not known:
        yield Settling("sensitivity against its class", "blank", "not measured on any band", "sensitiv")


def _last_round(conn: sqlite3.Connection, job_id: int) -> Settling:
    """The last decision about another round: passed where none was advised, and to be done where one was."""
    rounds = [
        detail
        for run in runs.runs_of_job(conn, job_id)
        for act in runs.acts(conn, run.id)
        if act.kind == "decide" and "advised" in (detail := json.loads(act.detail)) and isinstance(detail["advised"], bool)
    ]
    name = "what the last round left"
    if not rounds:
        return Settling(name, "blank", "no round was decided on yet", "round")
    return Settling(name, "blank" if rounds[-1]["advised"] else "good", rounds[-1]["sentence"], "round")


def _dial(conn: sqlite3.Connection, job_id: int, model: Model) -> Iterator[Settling]:
    """The worst dial error of each band that was read since it was last turned, against its tolerance."""
    found = dial_errors(conn, job_id, model)
    for e in found:
        yield Settling(f"dial error on {e.band_name}", "good" if e.within else "stop", e.words, "dial")
    if not found:
        yield Settling("dial error", "blank", "no mark was read", "dial")


def _noise_rise(conn: sqlite3.Connection, job_id: int) -> Settling:
    read = [e for e in entries.of_kind(conn, job_id, "noise rise") if e.judged]
    name = "noise rise with an aerial"
    if not read or read[-1].judged is None:
        return Settling(name, "blank", "not read", "noise")
    return Settling(name, read[-1].judged.state, f"{read[-1].detail['band']}: {read[-1].judged.sentence}", "noise")


def worries(conn: sqlite3.Connection, job_id: int, tests: Sequence[Settling]) -> dict[int, Verdict]:
    """Return what the tests that each open worry named say of it, by the entry's id; worries that name none of them have no verdict."""
    out = {}
    for entry in entries.of_kind(conn, job_id, "worry"):
        named = [t for t in tests if t.known_by in entry.detail["tests"].lower()]
        if named and not entry.ended:
            out[entry.id] = settled_by(named)
    return out
