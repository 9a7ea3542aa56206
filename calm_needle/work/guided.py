"""Guided pieces of work on a job's set: begun, answered stage by stage, ended; what they did goes into the log of changes."""

import json
import math
import sqlite3
from dataclasses import dataclass

from calm_needle.core.guided.piece import Answers, Piece, Said, Stage, read_answers, show
from calm_needle.core.guided.pieces import PIECES, stand
from calm_needle.core.guided.rewind import target
from calm_needle.core.parts_sweep import Part
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import guided as store
from calm_needle.store import intake as intake_store
from calm_needle.store import photographs, shelf
from calm_needle.store.db import transaction
from calm_needle.store.guided import WorkRow
from calm_needle.store.shelf import JobRow
from calm_needle.work import repairs
from calm_needle.work.clock import now_utc, seconds
from calm_needle.work.meters import Meters
from calm_needle.work.shelf import job_of, parts_of_job

LONGEST_WORDS = 400


@dataclass(frozen=True)
class StageView:
    """One stage as the page shows it: what it says, what was answered (as shown), whether it may be answered now, how long ago it was."""

    stage: Stage
    said: Said | None
    shown: dict[str, str]
    may_answer: bool
    minutes_ago: float | None


@dataclass(frozen=True)
class WorkView:
    """One piece of work on the page."""

    job: JobRow
    row: WorkRow
    piece: Piece
    subject: str
    sister: str
    stages: list[StageView]
    current: str
    through: bool


@dataclass(frozen=True)
class WorksView:
    """All pieces of work of a job, and what may be begun."""

    job: JobRow
    works: list[tuple[WorkRow, Piece]]
    pieces: list[Piece]
    windings: list[Part]


def works_view(conn: sqlite3.Connection, job_id: int) -> WorksView:
    """Return the pieces of work of a job. Raises NotFound."""
    job = job_of(conn, job_id)
    rows = store.works_of_job(conn, job_id)
    windings = [p for p in parts_of_job(conn, job) if p.kind == "winding"]
    return WorksView(job, [(r, PIECES[r.piece]) for r in reversed(rows) if r.piece in PIECES], list(PIECES.values()), windings)


def begin(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> int:
    """Begin a piece of work (piece, subject, sister) and return its id. Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    piece = PIECES.get(form.get("piece", ""))
    if piece is None:
        raise NotFound("piece of work", form.get("piece", "")[:30])
    known = {p.id for p in parts_of_job(conn, job) if p.kind == piece.subject}
    subject, sister, faults = form.get("subject", ""), form.get("sister", ""), {}
    if piece.subject and subject not in known:
        faults["subject"] = f"Choose the {piece.subject} it is about."
    if piece.needs_sister and (sister not in known or sister == subject):
        faults["sister"] = "Choose its sister: another one of the same make."
    if faults:
        raise FieldsRefused(faults)
    return store.add_work(conn, job_id=job_id, piece=piece.name, subject=subject, sister=sister, at_utc=now_utc())


def work_view(conn: sqlite3.Connection, job_id: int, work_id: int) -> WorkView:
    """Return one piece of work. Raises NotFound."""
    job, row, piece = _find(conn, job_id, work_id)
    given = _given(conn, work_id, piece)
    standing = stand(piece, {name: _answers(values) for name, (values, _) in given.items()}, _facts(conn, job))
    names = {p.id: p.name for p in parts_of_job(conn, job)}
    now = seconds(now_utc())
    stages = []
    for stage in piece.stages:
        values, at_utc = given.get(stage.name, ({}, ""))
        shown = {ask.name: show(ask, _answers(values)[ask.name]) for ask in stage.asks if ask.name in values}
        ago = (now - seconds(at_utc)) / 60.0 if at_utc else None
        stages.append(StageView(stage, standing.said.get(stage.name), shown, stage.name in standing.may_answer, ago))
    # Where every gate is gone through, what has not been asked yet comes before what has failed.
    open_ones = [s for s in stages if s.may_answer and s.said is None]
    open_ones += [s for s in stages if s.may_answer and s.said and s.said.state == "stop"]
    current = open_ones[0].stage.name if open_ones else piece.stages[-1].name
    return WorkView(
        job, row, piece, names.get(row.subject, row.subject), names.get(row.sister, row.sister), stages, current, standing.through
    )


def answer(conn: sqlite3.Connection, job_id: int, work_id: int, form: dict[str, str], meters: Meters | None = None) -> None:
    """Keep the answers of a stage (stage, and its asks). At a practice set the act of the stage is done.

    Raises NotFound, FieldsRefused with a sentence per field, InstrumentError; nothing is kept then.
    """
    shown = work_view(conn, job_id, work_id)
    view = next((s for s in shown.stages if s.stage.name == form.get("stage")), None)
    if view is None:
        raise NotFound("stage", form.get("stage", "")[:30])
    if shown.row.outcome:
        raise FieldsRefused({view.stage.asks[0].name: "This piece of work was ended."})
    if not view.may_answer:
        raise FieldsRefused({view.stage.asks[0].name: "Not yet: the stage before it holds it up."})
    values = read_answers(view.stage, form)
    if view.stage.act == "wind" and meters and meters.practice:
        before = {k: v for a in store.answers_of_work(conn, work_id) for k, v in _answers(json.loads(a.answers)).items()}
        diameter = target(Answers(before, {}))[2]
        turns = values["turns_wound"]
        assert isinstance(turns, float)
        meters.practice.wind(shown.row.subject, turns=turns, wire_diameter_m=diameter)
    if view.stage.act == "put across" and meters and meters.practice:
        farads = values["c_measured_f"]
        assert isinstance(farads, float)
        meters.practice.put_across(shown.row.subject, farads)
    kept = {k: "open" if v == math.inf else v for k, v in values.items()}
    store.add_answer(conn, work_id=work_id, stage=view.stage.name, answers=json.dumps(kept, ensure_ascii=False), at_utc=now_utc())


def measure(conn: sqlite3.Connection, job_id: int, work_id: int, stage_name: str, ask_name: str, meters: Meters) -> str:
    """Read by its meter what a stage asks, of the subject or its sister, and return it as it would be typed."""
    _, row, piece = _find(conn, job_id, work_id)
    stage = piece.stage(stage_name)
    ask = next((a for a in stage.asks if a.name == ask_name), None) if stage else None
    if ask is None or ask.meter is None:
        raise NotFound("thing a meter can read", ask_name[:30])
    part = row.sister if ask.of == "sister" else row.subject
    match ask.meter:
        case "ohm":
            found = meters.part(part, kind="winding", in_circuit=False)
        case "henry":
            found = meters.henries(part)
        case "farad":
            found = meters.farads(part)
    return show(ask, found.value)


def end(conn: sqlite3.Connection, job_id: int, work_id: int, form: dict[str, str]) -> None:
    """End a piece of work: through, which goes into the log of changes, or given up with a reason. Raises NotFound, FieldsRefused."""
    shown = work_view(conn, job_id, work_id)
    words = form.get("words", "").strip()[:LONGEST_WORDS]
    outcome = "given up" if form.get("outcome") == "given up" else "through"
    if shown.row.outcome:
        raise FieldsRefused({"words": "It was ended already."})
    if outcome == "through" and not shown.through:
        raise FieldsRefused({"words": "Not every stage has been answered and passed."})
    if outcome == "given up" and not words:
        raise FieldsRefused({"words": "Say why; it stands in the record."})
    if shown.piece.repair and outcome == "through" and repairs.is_on(conn, job_id):
        raise FieldsRefused({"words": "The start’s log says that the set is on. Switch it off before this is called done."})
    at_utc = now_utc()
    with transaction(conn):
        store.end_work(conn, work_id=work_id, outcome=outcome, words=words, at_utc=at_utc)
        if shown.piece.repair and outcome == "through":
            remark = f"{shown.piece.title}. {words}".strip()
            part = shown.row.subject or shown.piece.title
            repairs.keep(conn, shown.job, part=part, what=shown.piece.repair, value=None, words=remark, at_utc=at_utc)


def findings(conn: sqlite3.Connection, job_id: int) -> list[tuple[WorkRow, Piece, Said]]:
    """Return what the stages of a job's guided works say against the set, newest work first: each is a fault of its own."""
    out = []
    for row in reversed(store.works_of_job(conn, job_id)):
        if row.piece in PIECES and row.outcome is None:
            view = work_view(conn, job_id, row.id)
            out += [(row, view.piece, s.said) for s in view.stages if s.said and s.said.state == "stop"]
    return out


def _find(conn: sqlite3.Connection, job_id: int, work_id: int) -> tuple[JobRow, WorkRow, Piece]:
    job = job_of(conn, job_id)
    row = next((r for r in store.works_of_job(conn, job_id) if r.id == work_id), None)
    if row is None or row.piece not in PIECES:
        raise NotFound("piece of work of this job", work_id)
    return job, row, PIECES[row.piece]


def _given(conn: sqlite3.Connection, work_id: int, piece: Piece) -> dict[str, tuple[dict[str, object], str]]:
    """What counts of the answers: the last of each stage; what was measured before something was done anew no longer does."""
    names = [stage.name for stage in piece.stages]
    given: dict[str, tuple[dict[str, object], str]] = {}
    for a in store.answers_of_work(conn, work_id):
        if (stage := piece.stage(a.stage)) is None:
            continue
        if stage.irreversible:
            for later in names[names.index(stage.name) + 1 :]:
                given.pop(later, None)
        given[a.stage] = (json.loads(a.answers), a.at_utc)
    return given


def _answers(values: dict[str, object]) -> dict[str, object]:
    return {k: math.inf if v == "open" else v for k, v in values.items()}


def _facts(conn: sqlite3.Connection, job: JobRow) -> dict[str, object]:
    marks = shelf.phase_marks(conn, job.id)
    consents = [e for e in intake_store.entries_of_job(conn, job.id) if e.kind == "consent"]
    return {
        "photographs": photographs.count_photographs(conn, job.id),
        "consent": bool(consents),
        "start_done": "safe start" in marks and marks["safe start"].state == "done",
    }
