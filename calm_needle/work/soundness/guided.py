"""Guided pieces of work on a job's set: begun, answered stage by stage, ended; what they did goes into the log of changes."""

import json
import math
import sqlite3
from dataclasses import dataclass

from calm_needle.core.physics import coils, dip_scan
from calm_needle.core.pictures import Picture
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.guided.piece import Answers, Ask, Piece, Stage, read_answers, show
from calm_needle.core.soundness.guided.pieces import PIECES, stand
from calm_needle.core.soundness.guided.rewind import target
from calm_needle.core.soundness.parts_sweep import Part
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import guided as store
from calm_needle.store import intake as intake_store
from calm_needle.store import photographs, shelf
from calm_needle.store.db import transaction
from calm_needle.store.guided import WorkRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc, seconds
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.core_places import core_at, travel_percent
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, parts_of_job
from calm_needle.work.soundness import repairs

LONGEST_WORDS = 400


@dataclass(frozen=True)
class StageView:
    """One stage as the page shows it: what it says, what was answered or is known (as shown), whether it may be answered now, how long
    ago it was.
    """

    stage: Stage
    said: Verdict | None
    shown: dict[str, str]
    may_answer: bool
    minutes_ago: float | None


@dataclass(frozen=True)
class WorkView:
    """One piece of work on the page. reckon_from: from what a calculator that is opened beside it is filled in."""

    job: JobRow
    row: WorkRow
    piece: Piece
    subject: str
    sister: str
    stages: list[StageView]
    current: str
    through: bool
    cautions: list[Caution]
    reckon_from: str


@dataclass(frozen=True)
class Measured:
    """What a meter found for an ask: as it would be typed, and for a scan what it shows, in words and drawn."""

    typed: str
    sentence: str = ""
    picture: Picture | None = None


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
    model = model_of_dossier(conn, job.dossier_id)
    now = seconds(now_utc())
    stages = []
    for stage in piece.stages:
        values, at_utc = given.get(stage.name, ({}, ""))
        shown = {ask.name: show(ask, model.if_hz) for ask in stage.asks if ask.known == "if_hz"}
        shown |= {ask.name: show(ask, _answers(values)[ask.name]) for ask in stage.asks if ask.name in values}
        ago = (now - seconds(at_utc)) / 60.0 if at_utc else None
        stages.append(StageView(stage, standing.said.get(stage.name), shown, stage.name in standing.may_answer, ago))
    # Where every gate is gone through, what has not been asked yet comes before what has failed.
    open_ones = [s for s in stages if s.may_answer and s.said is None]
    open_ones += [s for s in stages if s.may_answer and s.said and s.said.state == "stop"]
    current = open_ones[0].stage.name if open_ones else piece.stages[-1].name
    subject, sister = names.get(row.subject, row.subject), names.get(row.sister, row.sister)
    cautions = cautions_for(safety_class=model.safety_class, hazards=piece.hazards)
    reckon_from = f"{job.id}:{model.bands[0].id}" if model.bands else ""
    return WorkView(job, row, piece, subject, sister, stages, current, standing.through, cautions, reckon_from)


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


def measure(conn: sqlite3.Connection, job_id: int, work_id: int, form: dict[str, str], meters: Meters) -> Measured:
    """Read by its meter what a stage asks (stage, read, and what else was typed), of the subject or its sister.

    Raises NotFound, FieldsRefused, InstrumentError.
    """
    job, row, piece = _find(conn, job_id, work_id)
    stage = piece.stage(form.get("stage", ""))
    ask = next((a for a in stage.asks if a.name == form.get("read")), None) if stage else None
    if ask is None or ask.meter is None:
        raise NotFound("thing a meter can read", form.get("read", "")[:30])
    if ask.meter != "travel" and repairs.is_on(conn, job_id):
        raise FieldsRefused({ask.name: "The start’s log says that the set is on. Switch it off, bleed it and prove it, then lift a lead."})
    part = row.sister if ask.of == "sister" else row.subject
    model = model_of_dossier(conn, job.dossier_id)
    core = model.core_of(part)
    with core_at(meters, core, ask.core):
        match ask.meter:
            case "ohm":
                return Measured(show(ask, meters.part(part, kind="winding", in_circuit=False).value))
            case "henry":
                return Measured(show(ask, meters.henries(part).value))
            case "farad":
                return Measured(show(ask, meters.farads(part).value))
            case "travel":
                if core is None:
                    raise FieldsRefused({ask.name: "The dossier names no core for it: judge it by eye."})
                return Measured(show(ask, float(round(travel_percent(meters, core)))))
            case "dip" | "resonance":
                return _scanned(ask, part, meters, centre_hz=model.if_hz, held_f=_held(ask, stage, form))


def _scanned(ask: Ask, winding: str, meters: Meters, *, centre_hz: float, held_f: float) -> Measured:
    scan = soundings.scan(meters, winding, centre_hz=centre_hz, held_f=held_f)
    found = coils.dip(f_hz=scan.frequencies_hz, v=scan.volts)
    low, high = (format_si(f, unit="Hz", digits=3) for f in (scan.frequencies_hz[0], scan.frequencies_hz[-1]))
    words = f"From {low} to {high}: {found.verdict}"
    drawn = dip_scan.picture(f_hz=scan.frequencies_hz, v=scan.volts, f0_hz=found.f0_hz)
    if not found.seen:
        if ask.meter == "resonance":
            raise FieldsRefused({ask.name: f"{words}. There is no frequency to write down."})
        return Measured(show(ask, 0.0), f"{words}.", drawn)
    words += f", {found.depth_db:.1f} dB deep at {format_si(found.f0_hz, unit='Hz', digits=4)}"
    if found.q > 0:
        words += f", Q about {found.q:.0f}"
    return Measured(show(ask, found.f0_hz if ask.meter == "resonance" else round(found.depth_db, 1)), f"{words}.", drawn)


def _held(ask: Ask, stage: Stage | None, form: dict[str, str]) -> float:
    """The capacitor that is held across for the test, as typed beside it; none where the ask has none."""
    if not ask.held or stage is None:
        return 0.0
    beside = next(a for a in stage.asks if a.name == ask.held)
    try:
        farads = parse_si(form.get(beside.name, ""), unit=beside.unit or "F")
    except NotUnderstood:
        farads = 0.0
    if farads <= 0:
        raise FieldsRefused({beside.name: f"{beside.label}: say which, before the dip with it is looked for."})
    return farads


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


def findings(conn: sqlite3.Connection, job_id: int) -> list[tuple[WorkRow, Piece, Verdict]]:
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
