"""Guided pieces of work on a job's set: begun, answered stage by stage, ended; what they did goes into the log of changes."""

import json
import math
import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.bench.practice_set import PracticeSet
from calm_needle.clock import now_utc, seconds
from calm_needle.core.physics import dip_scan
from calm_needle.core.pictures import Picture
from calm_needle.core.plausible import SENSIBLE
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.guided.offers import offers
from calm_needle.core.soundness.guided.piece import READ_COLD, Answers, Piece, Stage, read_answers, show
from calm_needle.core.soundness.guided.pieces import PIECES, stand
from calm_needle.core.soundness.guided.rewind import target
from calm_needle.core.soundness.guided.sisters import ELSEWHERE, sisters_of
from calm_needle.core.soundness.parts_sweep import Part
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import guided as store
from calm_needle.store import intake as intake_store
from calm_needle.store import part_checks, photographs, shelf
from calm_needle.store.db import transaction
from calm_needle.store.guided import WorkRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, parts_of_job
from calm_needle.work.slips import Slips
from calm_needle.work.soundness import evidence, repairs
from calm_needle.work.soundness import known as known_of
from calm_needle.work.soundness.power import why_live

LONGEST_WORDS = 400


class Read(NamedTuple):
    """What a meter found at a stage: of what, as it would be typed, what it says, of a scan the picture, when."""

    label: str
    typed: str
    sentence: str
    picture: Picture | None
    at: str


@dataclass(frozen=True)
class StageView:
    """One stage as the page shows it: what it says, what was answered or is known (as shown), from where that is known which was not
    answered yet, whether it may be answered now, how long ago it was, and what was read for it.
    """

    stage: Stage
    said: Verdict | None
    shown: dict[str, str]
    known: dict[str, str]
    may_answer: bool
    minutes_ago: float | None
    read: list[Read]

    @property
    def answered(self) -> list[tuple[str, str]]:
        """What was answered, each with what it is of; a stage keeps what it was judged from."""
        return [(ask.label, self.shown[ask.name]) for ask in self.stage.asks if self.said and self.shown.get(ask.name)]


@dataclass(frozen=True)
class WorkView:
    """One piece of work on the page. elsewhere: the sister is not in this set; reckon_from: from what a calculator that is opened beside it
    is filled in."""

    job: JobRow
    row: WorkRow
    piece: Piece
    subject: str
    sister: str
    elsewhere: bool
    stages: list[StageView]
    current: str
    through: bool
    cautions: list[Caution]
    reckon_from: str


class Offered(NamedTuple):
    """A piece of work that the evidence asks for: about which part, after which sister, and why."""

    piece: Piece
    subject: Part | None
    sister: str
    because: tuple[str, ...]


@dataclass(frozen=True)
class WorksView:
    """All pieces of work of a job, what the evidence asks for, and what else may be begun. sisters: of each winding, the likest first."""

    job: JobRow
    works: list[tuple[WorkRow, Piece]]
    offered: list[Offered]
    pieces: list[Piece]
    windings: list[Part]
    sisters: dict[str, list[Part]]
    elsewhere: str = ELSEWHERE


def works_view(conn: sqlite3.Connection, job_id: int) -> WorksView:
    """Return the pieces of work of a job. Raises NotFound."""
    job = job_of(conn, job_id)
    rows = store.works_of_job(conn, job_id)
    windings = [p for p in parts_of_job(conn, job) if p.kind == "winding"]
    works = [(r, PIECES[r.piece]) for r in reversed(rows) if r.piece in PIECES]
    sisters = {w.id: sisters_in(conn, job, w.id) for w in windings}
    return WorksView(job, works, offered(conn, job), list(PIECES.values()), windings, sisters)


def offered(conn: sqlite3.Connection, job: JobRow) -> list[Offered]:
    """Return the pieces of work that the readings of a job ask for, the strongest first; a part that work is in hand on is left out."""
    in_hand = [r for r in store.works_of_job(conn, job.id) if r.outcome is None]
    pieces, subjects = {r.piece for r in in_hand if not r.subject}, {r.subject for r in in_hand if r.subject}
    parts = {p.id: p for p in parts_of_job(conn, job)}
    out = []
    for offer in offers(evidence.of_job(conn, job)):
        piece, subject = PIECES[offer.piece], parts.get(offer.subject)
        if offer.piece in pieces or offer.subject in subjects or (piece.subject and subject is None):
            continue
        alike = sisters_in(conn, job, offer.subject) if piece.needs_sister else []
        out.append(Offered(piece, subject, alike[0].id if alike else ELSEWHERE if piece.needs_sister else "", offer.because))
    return out


def sisters_in(conn: sqlite3.Connection, job: JobRow, subject: str) -> list[Part]:
    """Return the windings of a job's set that may stand as a pattern for one of them, the likest first."""
    model = model_of_dossier(conn, job.dossier_id)
    windings = [p for p in model.parts if p.kind == "winding"]
    return sisters_of(subject, windings=windings, work_of={w.id: model.work_of_winding(w) for w in windings})


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
    alike = sisters_in(conn, job, subject) if piece.needs_sister and not faults else []
    if piece.needs_sister and not faults and sister != ELSEWHERE and sister not in {p.id for p in alike}:
        names = ", ".join(p.name for p in alike) or "there is none in this set"
        faults["sister"] = f"Choose its sister, a winding that does the same work: {names}; or one elsewhere, whose figures you type."
    if faults:
        raise FieldsRefused(faults)
    return store.add_work(conn, job_id=job_id, piece=piece.name, subject=subject, sister=sister, at_utc=now_utc(conn))


def work_view(conn: sqlite3.Connection, job_id: int, work_id: int) -> WorkView:
    """Return one piece of work. Raises NotFound."""
    job, row, piece = find(conn, job_id, work_id)
    given = _given(conn, work_id, piece)
    standing = stand(piece, {name: _answers(values) for name, (values, _) in given.items()}, _facts(conn, job))
    names = {p.id: p.name for p in parts_of_job(conn, job)}
    model = model_of_dossier(conn, job.dossier_id)
    now, read = seconds(now_utc(conn)), store.readings_of_work(conn, work_id)
    stages = []
    for stage in piece.stages:
        values, at_utc = given.get(stage.name, ({}, ""))
        shown = {ask.name: show(ask, _answers(values)[ask.name]) for ask in stage.asks if ask.name in values}
        known: dict[str, str] = {}
        for ask in stage.asks:
            part = row.sister if ask.of == "sister" else row.subject
            if ask.name not in shown and (value := known_of.known(conn, job, model, ask, part=part)):
                shown[ask.name], known[ask.name] = show(ask, value.value), value.source
        ago = (now - seconds(at_utc)) / 60.0 if at_utc else None
        here = [_read(r, stage) for r in read if r.stage == stage.name]
        stages.append(StageView(stage, standing.said.get(stage.name), shown, known, stage.name in standing.may_answer, ago, here))
    # Where every gate is gone through, what has not been asked yet comes before what has failed.
    open_ones = [s for s in stages if s.may_answer and s.said is None]
    open_ones += [s for s in stages if s.may_answer and s.said and s.said.state == "stop"]
    current = open_ones[0].stage.name if open_ones else piece.stages[-1].name
    subject, sister, away = names.get(row.subject, row.subject), names.get(row.sister, row.sister), row.sister == ELSEWHERE
    cautions = cautions_for(safety_class=model.safety_class, hazards=piece.hazards)
    reckon_from = f"{job.id}:{model.bands[0].id}" if model.bands else ""
    return WorkView(job, row, piece, subject, sister, away, stages, current, standing.through, cautions, reckon_from)


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
    if (cold := [a.name for a in view.stage.asks if a.meter in READ_COLD and a.name in values]) and (live := why_live(conn, job_id)):
        raise FieldsRefused({cold[0]: live})
    _ask_about_slips(conn, shown, view.stage, form, values)
    if view.stage.act and meters and meters.practice:
        before = {k: v for a in store.answers_of_work(conn, work_id) for k, v in _answers(json.loads(a.answers)).items()}
        part = next((p for p in parts_of_job(conn, shown.job) if p.id == shown.row.subject), None)
        _ACTS[view.stage.act](meters.practice, part, Answers(before | values, {}))
    kept = {k: "open" if v == math.inf else v for k, v in values.items()}
    store.add_answer(conn, work_id=work_id, stage=view.stage.name, answers=json.dumps(kept, ensure_ascii=False), at_utc=now_utc(conn))


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
    if shown.piece.repair and outcome == "through" and (live := why_live(conn, job_id)):
        raise FieldsRefused({"words": live})
    at_utc = now_utc(conn)
    with transaction(conn):
        store.end_work(conn, work_id=work_id, outcome=outcome, words=words, at_utc=at_utc)
        if shown.piece.repair and outcome == "through":
            remark = f"{shown.piece.title}. {words}".strip()
            part = shown.row.subject or shown.piece.title
            repairs.keep(conn, shown.job, part=part, what=shown.piece.repair, value=None, words=remark, at_utc=at_utc)
            if (ohm := _ohm_as_left(conn, shown)) is not None:
                # What proved the repair is not measured twice: it is the first reading of the part as it now is.
                part_checks.add_part_check(conn, job_id=job_id, part=part, value=ohm, in_circuit=False, replaced=False, at_utc=at_utc)


def _ohm_as_left(conn: sqlite3.Connection, shown: WorkView) -> float | None:
    """The ohms of the subject as they were last answered at a stage of a piece of work; None where none asks them."""
    given = _given(conn, shown.row.id, shown.piece)
    asks = [(s.name, a.name) for s in shown.piece.stages for a in s.asks if a.meter == "ohm" and a.of == "subject" and s.name in given]
    found = [_answers(given[stage][0]).get(ask) for stage, ask in asks]
    return next((float(ohm) for ohm in reversed(found) if isinstance(ohm, int | float) and math.isfinite(ohm)), None)


def findings(conn: sqlite3.Connection, job_id: int) -> list[tuple[WorkRow, Piece, Verdict]]:
    """Return what the stages of a job's guided works say against the set, newest work first: each is a fault of its own."""
    out = []
    for row in reversed(store.works_of_job(conn, job_id)):
        if row.piece in PIECES and row.outcome is None:
            view = work_view(conn, job_id, row.id)
            out += [(row, view.piece, s.said) for s in view.stages if s.said and s.said.state == "stop"]
    return out


def _ask_about_slips(conn: sqlite3.Connection, shown: WorkView, stage: Stage, form: dict[str, str], values: Mapping[str, object]) -> None:
    """Ask before an answer is kept that is off by a thousand or a million; ohms of a winding beside what is drawn."""
    slips, drawn = Slips(form), {p.id: p.nominal for p in parts_of_job(conn, shown.job) if p.kind == "winding"}
    for ask in stage.asks:
        value = values.get(ask.name)
        if isinstance(value, int | float) and math.isfinite(value) and ask.unit:
            of_winding = ask.meter == "ohm"
            part = shown.row.sister if ask.of == "sister" else shown.row.subject
            slips.beside(ask.name, value, drawn=drawn.get(part) if of_winding else None, unit=ask.unit)
            slips.within(ask.name, value, sensible=SENSIBLE.get(ask.unit), unit=ask.unit)
    slips.refuse()


def _wind(practice: PracticeSet, part: Part | None, a: Answers) -> None:
    if part:
        practice.wind(part.id, turns=a.number("turns_wound"), wire_diameter_m=target(a)[2])


def _put_across(practice: PracticeSet, part: Part | None, a: Answers) -> None:
    if part:
        practice.put_across(part.id, a.number("c_measured_f"))


def _splice(practice: PracticeSet, part: Part | None, a: Answers) -> None:
    if part and a.number("tries") >= 1.0:
        practice.fit(part.id, part.nominal)


# What a stage's act does to a practice set.
_ACTS: dict[str, Callable[[PracticeSet, Part | None, Answers], None]] = {"wind": _wind, "put across": _put_across, "splice": _splice}


def _read(row: store.ReadingRow, stage: Stage) -> Read:
    label = next((a.label for a in stage.asks if a.name == row.ask), row.ask)
    return Read(f"{label}, {row.part}" if row.part else label, row.typed, row.sentence, _scan_picture(row.points), row.at_utc[11:19])


def _scan_picture(points: str | None) -> Picture | None:
    if not points:
        return None
    scan = json.loads(points)
    return dip_scan.picture(f_hz=scan["f_hz"], v=scan["v"], f0_hz=scan["f0_hz"])


def find(conn: sqlite3.Connection, job_id: int, work_id: int) -> tuple[JobRow, WorkRow, Piece]:
    """Return a piece of work of a job, and what it is. Raises NotFound."""
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
    pictures = photographs.photographs_of_job(conn, job.id)
    consents = [e for e in intake_store.entries_of_job(conn, job.id) if e.kind == "consent"]
    return {
        "photographs": len(pictures),
        "leads_pinned": sum(pin.kind == "lead" for p in pictures for pin in photographs.pins_of_photograph(conn, p.id)),
        "consent": bool(consents),
        "start_done": "safe start" in marks and marks["safe start"].state == "done",
    }
