"""The record of a run: what was before, what is after, what was done and decided, what was left alone."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from calm_needle.bench.practice_set import SetTruth
from calm_needle.core.dossier.model import SetUp
from calm_needle.core.pictures import Curves, Mark
from calm_needle.core.pictures import Line as CurveLine
from calm_needle.core.procedure.house_style import in_words
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.report import Amount, Curve, Row, Section, section
from calm_needle.core.procedure.run import Visit
from calm_needle.core.procedure.series import Seen, level_db
from calm_needle.core.procedure.set_up import settings
from calm_needle.core.quantities import TRUE_MINUS
from calm_needle.core.soundness.complaints import Complaint
from calm_needle.core.soundness.repairs import Repair
from calm_needle.files.readings_csv import CsvReading
from calm_needle.store import reckonings
from calm_needle.store.runs import FindingRow, NoteRow, ReadingRow, RunRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.bench.bench_thread import bead_label
from calm_needle.work.bench.run_book import RunBook, stale_now
from calm_needle.work.jobs import intake
from calm_needle.work.record.dial_record import dial_section, rocking_section
from calm_needle.work.soundness import parts_sweep, repairs
from calm_needle.work.workshop import Workshop

SHAPE_DB, LEAST_BELOW_DB = 30.0, 0.5  # of a response below its own top that is drawn; a difference of two tops that is worth words
SETTING_UNITS = {"frequency": "Hz", "level": "V", "dial": "Hz"}


@dataclass
class Line:
    """One step of the run: what was done and what came of it, in numbers with the readings they came from."""

    round: int
    name: str
    downwards: bool
    repeated: bool
    outcome: str
    gained: Amount | None
    turned: Amount | None
    words: str
    found: Amount | None = None  # what the indicator showed before this adjuster was first touched


@dataclass
class Record:
    """Everything the one-page record shows. Levels in dB, frequencies in Hz."""

    run: RunRow
    job: JobRow
    finished: bool
    by_hand: bool
    lines: list[Line]
    sections: list[Section] = field(default_factory=list)
    gain: Amount | None = None
    compares: bool = False
    stale: str = ""
    decisions: list[str] = field(default_factory=list)
    findings: list[FindingRow] = field(default_factory=list)
    notes: list[NoteRow] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    truth: SetTruth | None = None
    complaints: list[Complaint] = field(default_factory=list)
    waived: str | None = None
    reckoned: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    health: str = ""
    style: str = ""


def record_of(workshop: Workshop, run_id: int) -> Record:
    """Return the record of a run, finished or not. Raises NotFound."""
    desk = workshop.desk(run_id)
    with desk.book() as book:
        record = read_run(book)
        on_bench = desk.on_instruments and workshop.live.client is desk
    with workshop.store() as conn:
        record.complaints = intake.complaints_of(conn, record.job.id)
        gate = intake.gate_of(conn, record.job.id)
        record.waived = gate.sentence if gate.waived else None
        record.changed = [_change(r) for r in repairs.of_job(conn, record.job.id)]
        sweep = parts_sweep.view(conn, record.job.id)
        record.health = sweep.whole.sentence if sweep.counted.parts else ""
        stale = stale_now(conn, record.job.id, record.run.phase)
        record.stale = stale.why if stale else ""
        record.reckoned = [r.sentence for r in reckonings.reckonings_of_job(conn, record.job.id)]
    if on_bench and record.compares:
        record.truth = workshop.live.truth()
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


def read_run(book: RunBook) -> Record:
    """Return the record of a run from its book alone."""
    visits = [v for v in book.state.visits if v.outcome and not v.superseded]
    checks = [v for v in visits if v.outcome == "take" and _kind(book, v).compares]
    record = Record(
        run=book.run,
        job=book.job,
        finished=book.state.stage == "finished",
        style=in_words(book.plan.style) if book.plan.style else "",
        by_hand=book.run.bench != "instruments",
        lines=[_line(book, v) for v in visits if not _kind(book, v).compares],
        compares=any(KINDS[s.kind].compares for s in book.plan.steps),
        decisions=[_decided(book, d) for d in book.state.decisions],
        findings=book.findings(),
        notes=book.notes(),
        left_out=[f"{book.plan.step(v.step_id).title}: {v.detail['reason']}" for v in visits if v.outcome == "skip"],
    )
    ends = checks[:1] + checks[1:][-1:]
    if ends:
        record.sections.append(_before_and_after([_check(v) for v in ends]))
    if len(ends) > 1:
        readings = tuple(v.detail["reading"] for v in ends if "reading" in v.detail)
        record.gain = Amount(ends[1].detail["level_db"] - ends[0].detail["level_db"], "dB", readings, signed=True)
    names: tuple[Literal["before", "after"], ...] = ("before", "after")
    curves = [_response(book, visit, name) for visit, name in zip(ends, names, strict=False)]
    if curves := [c for c in curves if len(c.points) > 1]:
        record.sections.append(Section("response", curves=tuple(curves), nominal=book.model.if_hz))
    rocked = [(book.plan.step(v.step_id).title, v.detail) for v in visits if v.outcome == "take" and "triples" in v.detail]
    if (rocking := rocking_section(rocked)) is not None:
        record.sections.append(rocking)
    if (dial := dial_section(book.model, book.state.decisions)) is not None:
        record.sections.append(dial)
    if as_found := _as_found(book, visits):
        record.sections.append(Section("as found", ("indicator, before it was touched", "turned since, in all"), tuple(as_found)))
        found = {row.name: row.cells[0] for row in as_found}
        for line in record.lines:
            if isinstance(shown := found.pop(line.name, None), Amount):
                line.found = shown
    record.sections.append(Section("adjusters", ("gained, or read", "turned", "what was seen"), tuple(_row(line) for line in record.lines)))
    record.sections.extend(_set_ups(book))
    return record


def _as_found(book: RunBook, visits: list[Visit]) -> list[Row]:
    """What the indicator showed before each adjuster was first touched, and how far it stands from there now, so that it can be put back.

    Kept unasked, from the first readings of the first stay at it; what an earlier run has turned is not in it.
    """
    first: dict[str, Visit] = {}
    turned: dict[str, float | None] = {}
    for visit in visits:
        step = book.plan.step(visit.step_id)
        for adjuster in step.adjusters[:1]:
            first.setdefault(adjuster, visit)
            net, so_far = visit.detail.get("net_turns"), turned.get(adjuster, 0.0)
            turned[adjuster] = None if net is None or so_far is None else so_far + net
    rows = []
    for adjuster, visit in first.items():
        # What the meter showed, not the measure that gains are reckoned in: that allows for every move of the generator.
        read = [r for r in book.readings_of(visit) if r.struck is None and r.kind != "sweep"]
        shows = Amount(read[0].value, read[0].unit, (read[0].id,)) if read else None
        net_turns = turned[adjuster]
        moved = None if net_turns is None or not read else Amount(net_turns, "turn", (read[-1].id,), signed=True)
        if shows or moved:
            rows.append(Row(book.model.adjuster(adjuster).name, (shows, moved)))
    return rows


def _decided(book: RunBook, decision: Mapping[str, Any]) -> str:
    """What was decided, about which band where there are several, that it was not what was advised, and what it costs elsewhere."""
    as_advised = decision["advised"] == decision.get("chosen", decision["go_on"])
    about = next((g.title for g in book.plan.groups if g.id == decision["group_id"] and g.decides), "")
    return f"{about + ': ' if about else ''}{decision['sentence']}{'' if as_advised else ' Decided otherwise.'}{_costs(decision)}"


def _costs(decision: Mapping[str, Any]) -> str:
    """What was chosen, with what it was worked out to cost; empty where nothing was."""
    costs = "; ".join(f"{label} {value}" for label, value in decision.get("costs", ()))
    return f" {decision['label']}: {costs}." if costs else ""


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
        if since := detail.get("since_change"):
            words = f"{words}; counted since {since}"
    turns, readings = detail.get("net_turns"), (detail["reading"],) if "reading" in detail else ()
    return Line(
        round=visit.place.round,
        name=name,
        downwards=_kind(book, visit).goal == "minimum",
        repeated=book.plan.group(visit.place.group_id).repeat is not None,
        outcome=visit.outcome or "",
        gained=_gained(detail, readings),
        turned=None if turns is None else Amount(turns, "turn", readings, signed=True),
        words=words,
    )


def _row(line: Line) -> Row:
    return Row(f"{line.name}, round {line.round}" if line.repeated else line.name, (line.gained, line.turned, line.words))


def _check(visit: Visit) -> dict[str, Amount | None]:
    """What was measured of the set as it stood, by name."""
    detail = visit.detail
    of, band = (detail["reading"],), detail.get("passband") or {}
    low, high = band.get("low_hz"), band.get("high_hz")
    level = detail.get("generator_v")
    return {
        "indicator": Amount(detail["value"], detail["unit"], of),
        "generator": Amount(level, "V", of) if level else None,
        "highest at": Amount(band["peak_hz"], "Hz", of) if band else None,
        "centre at −6 dB": Amount((high + low) / 2.0, "Hz", of) if low and high else None,
        "width at −6 dB": Amount(high - low, "Hz", of) if low and high else None,
    }


def _before_and_after(ends: list[dict[str, Amount | None]]) -> Section:
    return Section("before and after", ("before", "after"), tuple(Row(name, tuple(end[name] for end in ends)) for name in ends[0]))


def _response(book: RunBook, visit: Visit, name: Literal["before", "after"]) -> Curve:
    source = book.plan.step(visit.step_id).set_up.source
    rows = [r for r in book.readings_of(visit) if r.kind == "sweep" and r.struck is None and r.generator_hz]
    reference = source.level_v if source else 1.0
    points = sorted((r.generator_hz or 0.0, _decibels(r, reference)) for r in rows)
    return Curve(name, tuple(points), "Hz", "dB", tuple(r.id for r in rows))


def _gained(detail: Any, readings: tuple[int, ...]) -> Amount | None:
    """What a step gained, or the figure that it came to."""
    if detail.get("gain_db") is not None:
        return Amount(detail["gain_db"], "dB", readings, signed=True)
    figure = detail.get("figure")
    return Amount(figure["value"], figure["unit"], readings) if figure else None


def _decibels(row: ReadingRow, reference_v: float) -> float:
    return level_db(Seen(0.0, row.value, row.unit, generator_v=row.generator_v), reference_v=reference_v)


def response_picture(record: Record) -> Curves | None:
    """Return the swept responses before and after as a picture; None without any.

    Shapes are what it is for, so each is drawn from its own top, as far down as a pass-band is told from what is beside it; how far the one
    lay below the other is said with its name.
    """
    response = section(record.sections, "response")
    if response is None:
        return None
    tops = [max(v for _, v in c.points) for c in response.curves]
    lines = []
    for curve, top in zip(response.curves, tops, strict=True):
        below = max(tops) - top
        name = curve.name if below < LEAST_BELOW_DB else f"{curve.name}, {TRUE_MINUS}{below:.0f}\u00a0dB"
        lines.append(CurveLine(name, [(f, max(v - top, -SHAPE_DB)) for f, v in curve.points], curve.name))
    return Curves("Swept response, each from its own top", "Hz", "dB", lines, [Mark(response.nominal or 0.0, "nominal")])


def _set_ups(book: RunBook) -> list[Section]:
    """How it was measured: every set-up that was used in its order, the later ones as far as they differ from the one before."""
    sections: list[Section] = []
    before: SetUp | None = None
    for step in book.plan.steps:
        if step.set_up != before and any(v.step_id == step.id for v in book.state.visits):
            rows = [s for s in settings(step.set_up, before, model=book.model) if before is None or s.changed]
            cells = [Row(s.label, (Amount(s.value, SETTING_UNITS[s.kind]) if s.kind in SETTING_UNITS else s.shown,)) for s in rows]
            if cells:
                sections.append(Section("set up", ("set to",), tuple(cells)))
            before = step.set_up
    return sections
