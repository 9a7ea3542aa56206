"""The record of a run: what was before, what is after, what was done and decided, what was left alone."""

from dataclasses import dataclass, field
from typing import Any, Literal

from calm_needle.core.pictures import Curves, Mark
from calm_needle.core.pictures import Line as CurveLine
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.run import Visit
from calm_needle.core.procedure.series import Seen, level_db
from calm_needle.core.quantities import format_db, format_si, split_si
from calm_needle.core.soundness.complaints import Complaint
from calm_needle.core.soundness.repairs import Repair
from calm_needle.files.readings_csv import CsvReading
from calm_needle.store import reckonings
from calm_needle.store.runs import FindingRow, NoteRow, ReadingRow, RunRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.bench.bench_thread import bead_label
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.jobs import intake
from calm_needle.work.soundness import parts_sweep, repairs
from calm_needle.work.workshop import Workshop


@dataclass(frozen=True)
class Line:
    """One step of the run as the record lists it."""

    round: int
    name: str
    downwards: bool
    repeated: bool
    outcome: str
    gain: str
    turns: str
    words: str


@dataclass
class Record:
    """Everything the one-page record shows. Levels in dB, frequencies in Hz."""

    run: RunRow
    job: JobRow
    finished: bool
    nominal_hz: float
    bench: str
    set_up: str
    lines: list[Line]
    before: dict[str, str] | None = None
    after: dict[str, str] | None = None
    gain: str | None = None
    responses: list[CurveLine] = field(default_factory=list)
    decisions: list[str] = field(default_factory=list)
    findings: list[FindingRow] = field(default_factory=list)
    notes: list[NoteRow] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    truth: dict[str, str] | None = None
    complaints: list[Complaint] = field(default_factory=list)
    waived: str | None = None
    reckoned: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    health: str = ""


def record_of(workshop: Workshop, run_id: int) -> Record:
    """Return the record of a run, finished or not. Raises NotFound."""
    desk = workshop.desk(run_id)
    with desk.book() as book:
        record = _read(book)
        on_bench = desk.on_instruments and workshop.live.client is desk
    with workshop.store() as conn:
        record.complaints = intake.complaints_of(conn, record.job.id)
        gate = intake.gate_of(conn, record.job.id)
        record.waived = gate.sentence if gate.waived else None
        record.changed = [_change(r) for r in repairs.of_job(conn, record.job.id)]
        record.health = parts_sweep.view(conn, record.job.id).whole.sentence
        record.reckoned = [r.sentence for r in reckonings.reckonings_of_job(conn, record.job.id)]
    if on_bench and (truth := workshop.live.truth()) is not None:
        record.truth = {
            "peak": f"{truth.peak_hz / 1e3:.2f} kHz",
            "loss": f"{truth.loss_db:.2f} dB",
            "best": f"{truth.best_loss_db:.2f} dB",
        }
    return record


def readings_of_run(workshop: Workshop, run_id: int) -> list[CsvReading]:
    """Return every reading of a run, in order, with its context, for a file. Raises NotFound."""
    with workshop.desk(run_id).book() as book:
        out = []
        for visit in sorted(book.state.visits, key=lambda v: v.id):
            for r in book.readings_of(visit):
                out.append(
                    CsvReading(
                        r.id, r.at_utc, visit.step_id, visit.place.round, r.kind, r.value, r.unit, r.generator_hz, r.generator_v, r.turns,
                        r.instrument, r.struck or "",
                    )
                )  # fmt: skip
        return out


def _read(book: RunBook) -> Record:
    visits = [v for v in book.state.visits if v.outcome and not v.superseded]
    checks = [v for v in visits if v.outcome == "take" and _kind(book, v).compares]
    record = Record(
        run=book.run,
        job=book.job,
        finished=book.state.stage == "finished",
        nominal_hz=book.model.if_hz,
        bench="instruments, read by the program" if book.run.bench == "instruments" else "readings typed by hand",
        set_up=_set_up_words(book),
        lines=[_line(book, v) for v in visits if not _kind(book, v).compares],
        decisions=[d["sentence"] + ("" if d["advised"] == d["go_on"] else " Decided otherwise.") for d in book.state.decisions],
        findings=book.findings(),
        notes=book.notes(),
        left_out=[f"{book.plan.step(v.step_id).title}: {v.detail['reason']}" for v in visits if v.outcome == "skip"],
    )
    if checks:
        record.before = _check(checks[0])
        record.responses.append(_response(book, checks[0], "before"))
    if len(checks) > 1:
        record.after = _check(checks[-1])
        record.gain = format_db(checks[-1].detail["level_db"] - checks[0].detail["level_db"])
        record.responses.append(_response(book, checks[-1], "after"))
    record.responses = [r for r in record.responses if len(r.points) > 1]
    return record


def _change(repair: Repair) -> str:
    test = f" Then {repair.test.outcome}: {repair.test.words}" if repair.test else " Not tested since."
    return f"{repair.part} {repair.what}.{test}"


def _kind(book: RunBook, visit: Visit) -> StepKind:
    return KINDS[book.plan.step(visit.step_id).kind]


def _line(book: RunBook, visit: Visit) -> Line:
    step, detail = book.plan.step(visit.step_id), visit.detail
    name = bead_label(book, step) if step.adjusters else step.title
    words: str = {"no_peak": "no peak found", "skip": detail.get("reason", "")}.get(visit.outcome or "", "")
    if visit.outcome == "take":
        words = _kind(book, visit).report(detail)
    turns = detail.get("net_turns")
    return Line(
        round=visit.place.round,
        name=name,
        downwards=_kind(book, visit).goal == "minimum",
        repeated=book.plan.group(visit.place.group_id).repeat is not None,
        outcome=visit.outcome or "",
        gain=_gain(detail),
        turns="" if turns is None else f"{turns:+.2f}".replace("-", "\u2212"),
        words=words,
    )


def _check(visit: Visit) -> dict[str, str]:
    detail: Any = visit.detail
    number, unit = split_si(detail["value"], unit=detail["unit"], digits=3)
    band = detail.get("passband") or {}
    low, high = band.get("low_hz"), band.get("high_hz")
    return {
        "reading": f"{number}\u2009{unit}",
        "level": format_si(detail["generator_v"], unit="V", digits=3) if detail.get("generator_v") else "",
        "peak": f"{band['peak_hz'] / 1e3:.2f}\u2009kHz" if band else "not measured",
        "width": f"{(high - low) / 1e3:.2f}\u2009kHz" if low and high else "not measured",
        "centre": f"{(high + low) / 2e3:.2f}\u2009kHz" if low and high else "not measured",
    }


def _response(book: RunBook, visit: Visit, name: Literal["before", "after"]) -> CurveLine:
    generator = book.plan.step(visit.step_id).set_up.source
    rows = [r for r in book.readings_of(visit) if r.kind == "sweep" and r.struck is None and r.generator_hz]
    reference = generator.level_v if generator else 1.0
    return CurveLine(name, sorted((r.generator_hz or 0.0, _decibels(r, reference)) for r in rows), name)


def _gain(detail: Any) -> str:
    """What a step gained, or the figure that it came to."""
    if detail.get("gain_db") is not None:
        return format_db(detail["gain_db"])
    figure = detail.get("figure")
    return Figure(**{**figure, "sigma": None}).shown() if figure else ""


def _decibels(row: ReadingRow, reference_v: float) -> float:
    return level_db(Seen(0.0, row.value, row.unit, generator_v=row.generator_v), reference_v=reference_v)


def response_picture(record: Record) -> Curves | None:
    """Return the swept responses before and after as a picture, decibels from the highest point of all; None without any."""
    if not record.responses:
        return None
    top = max(v for r in record.responses for _, v in r.points)
    lines = [CurveLine(r.name, [(f, v - top) for f, v in r.points], r.ink) for r in record.responses]
    return Curves("Swept response", "Hz", "dB", lines, [Mark(record.nominal_hz, "nominal")])


def _set_up_words(book: RunBook) -> str:
    step = next((s for s in book.plan.steps if s.adjusters and s.set_up.source), None)
    if step is None or step.set_up.source is None:
        return ""
    generator = step.set_up.source
    indicator = f"; {step.set_up.watched.quantity} {step.set_up.watched.where}" if step.set_up.watched else ""
    return (
        f"Generator {generator.frequency_hz / 1e3:.3f} kHz, "
        f"{generator.modulation} {100 * generator.depth:.0f} %, {generator.tone_hz:.0f} Hz, "
        f"into {book.model.point_name(step.set_up.goes_in)}{indicator}."
    )
