"""The record of a whole job, from complaint to hand-back, phase by phase, from numbers: one table of chapters, each with its builder."""

import json
import math
import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from calm_needle.core.chapters import Block, Chapter, Drawn, Lines, Photograph, Shown, Table
from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fold import why
from calm_needle.core.facts.kinds.notes import note_in_words
from calm_needle.core.facts.power_ups import STOP_A, WARM, PowerUp, power_ups
from calm_needle.core.facts.registry import kinds_of_fact
from calm_needle.core.procedure.house_style import in_words
from calm_needle.core.procedure.report import Amount, Cell, Row, section
from calm_needle.core.quantities import format_plain, format_si
from calm_needle.core.soundness.entry_kinds import KINDS as ENTRY_KINDS
from calm_needle.core.soundness.guided.pieces import PIECES
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.core.soundness.points import electrodes_of, rails_of
from calm_needle.core.soundness.repairs import Repair
from calm_needle.core.soundness.safe_start import Point
from calm_needle.store import guided as guided_store
from calm_needle.store import part_checks, photographs, reckonings, runs, shelf
from calm_needle.store.db import remembered
from calm_needle.store.shelf import JobRow
from calm_needle.work.bench.run_book import RunBook, stale_now
from calm_needle.work.jobs import entries, intake, journal, oscillator, pick_up, recordings
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, phases_of
from calm_needle.work.record import run_record
from calm_needle.work.soundness import bands, due, guided, parts_sweep, repairs
from calm_needle.work.verification import beside_good, instruments_register, measuring, soaking

LED = ("intermediate frequency", "oscillator and dial", "front end")
SHOWN_OF_PHASE: dict[str, tuple[str, ...]] = {  # the parts of a run's own record that the job's record takes over
    "intermediate frequency": ("before and after",),
    "oscillator and dial": ("dial",),
    "front end": ("adjusters",),
}
TITLES = {
    "before and after": "Before and after",
    "dial": "Errors of the dial",
    "adjusters": "What was adjusted",
}
OF_INTAKE = ("paper", "purpose", "listening", "section", "earlier hands", "consent")  # the notes that are in its chapter
MOST_ROWS = 60
COMPLAINED = "Complained of"  # of what is outstanding


@dataclass(frozen=True)
class About:
    """What every builder is given: the job, its model, and what is known of both."""

    conn: sqlite3.Connection
    job: JobRow
    model: Model


@dataclass(frozen=True)
class JobRecord:
    """The record: who and what it is about, and its chapters. owner and remarks are left out of what goes to others."""

    job: JobRow
    model: Model
    chapters: list[Chapter]
    waived: str

    @property
    def stale(self) -> list[Chapter]:
        return [c for c in self.chapters if c.stale]


@remembered
def record_of(conn: sqlite3.Connection, job_id: int) -> JobRecord:
    """Return the record of a job as it stands. Raises NotFound."""
    job = job_of(conn, job_id)
    about = About(conn, job, model_of_dossier(conn, job.dossier_id))
    gate = intake.gate_of(conn, job_id)
    chapters = [build(about) for build in CHAPTERS]
    return JobRecord(job, about.model, chapters, gate.sentence if gate.waived else "")


def _intake(about: About) -> Chapter:
    blocks: list[Block] = []
    complaints = intake.complaints_of(about.conn, about.job.id)
    if complaints:
        rows = []
        for c in complaints:
            last = c.retests[-1] if c.retests else None
            covers = f"covers {last.cover}" if last and last.cover else ""
            rows.append(Row(c.words, (c.state, "; ".join(filter(None, (last.words if last else "", covers))))))
        blocks.append(Table("Complained of", ("retested", "what it showed"), tuple(rows)))
    for kind in OF_INTAKE:
        found = entries.of_kind(about.conn, about.job.id, kind)
        if found:
            blocks.append(Lines(ENTRY_KINDS[kind].title, tuple(_in_words(e) for e in found)))
    return Chapter("intake", "How it came", tuple(blocks))


def _in_words(entry: entries.Entry) -> str:
    said = note_in_words(ENTRY_KINDS[entry.kind], entry.detail)
    return f"{said}: {entry.outcome}" if entry.outcome else said


def _start(about: About) -> Chapter:
    kept = journal.of_job(about.conn, about.job.id)
    rows = [_volts_row(about.model, point, kept) for point in (*rails_of(about.model), *electrodes_of(about.model))]
    read = tuple(row for row in rows if row)
    blocks: list[Block] = [Table("Rails and electrodes", ("should be", "was", "verdict"), read)] if read else []
    counting = [s.fact for s in kept.states if s.status != "discarded"]
    currents = [f for f in counting if f.kind == "current"]
    if currents:
        last = currents[-1].detail
        limit = f"stop limit {format_si(last[STOP_A], unit='A', digits=3)}" if STOP_A in last else ""
        blocks.append(Table("Supply current", ("was", "verdict"), (Row("last reading", (Amount(last["a"], "A"), limit)),)))
    if ups := power_ups(counting):
        blocks.append(Lines("Power-ups", tuple(_power_up(up, about.model) for up in ups)))
    mark = shelf.phase_marks(about.conn, about.job.id).get("safe start")
    if mark and mark.state == "done" and mark.remark:
        blocks.append(Lines("Said when it was marked done", (mark.remark,)))
    stale = stale_now(about.conn, about.job.id, "safe start")
    empty = "No rail was read." if ups else "Not started behind a limiter here."
    return Chapter("safe start", "First power", tuple(blocks), stale.why if stale else "", empty)


def _volts_row(model: Model, point: Point, kept: journal.Journal) -> Row | None:
    """The reading of a point that counts, warm where there is one, with what it says; the set may be off since."""
    mine = [s for s in kept.states if s.fact.subject == f"point:{point.id}" and s.status in ("valid", "invalidated")]
    if not mine:
        return None
    state = next((s for s in reversed(mine) if s.fact.detail[WARM]), mine[-1])
    verdict = kept.verdicts.get(("rail", state.fact.subject))
    words = verdict.sentence if verdict else ""
    if state.status == "invalidated":
        words = f"{words} Since then: {why(state, model)}.".strip()
    return Row(point.name, (Amount(point.expected_v, "V") if point.expected_v else None, Amount(state.fact.detail["v"], "V"), words))


def _power_up(up: PowerUp, model: Model) -> str:
    """A power-up in one line: when, its steps, and what ended it."""
    kinds, at = kinds_of_fact(), up.began_utc
    said = [kinds[f.kind].line(f, model) for f in up.facts if f.kind not in ("rail", "current")]
    return f"{at[:10]} {at[11:16]} UTC: {'; '.join(w[0].lower() + w[1:] for w in said)}"


def _parts(about: About) -> Chapter:
    sweep = parts_sweep.view(about.conn, about.job.id)
    blocks: list[Block] = []
    if sweep.counted.parts:
        lines = [line for _, here, _ in sweep.regions for line in here]
        odd = [line for line in lines if line.verdict.state in ("out", "near", "cannot say")]
        rows = [
            Row(line.part.name, (Amount(line.part.nominal, UNITS[line.part.kind]), _part_value(line), line.verdict.sentence))
            for line in odd
        ]
        n = sweep.counted
        said = f"{n.parts - n.blank} of {n.parts} measured: {n.inside} within, {n.near} marginal, {n.out} out."
        blocks.append(Lines("The sweep", (sweep.whole.sentence, said)))
        if rows:
            blocks.append(Table("Not as marked", ("marked", "measured", "verdict"), tuple(rows[:MOST_ROWS])))
    changes = _changes(about)
    if changes:
        blocks.append(Table("Changed", ("what", "before", "after", "then"), tuple(changes)))
    return Chapter("parts", "Parts", tuple(blocks), empty="No part was measured or changed.")


def _part_value(line: parts_sweep.PartLine) -> Cell:
    if line.value is None:
        return None
    return "open" if math.isinf(line.value) else Amount(line.value, UNITS[line.part.kind])


def _changes(about: About) -> list[Row]:
    """Every change with what the part measured before and after, and with the test that came after it, shared or not."""
    parts = {p.id: p for p in about.model.parts}
    checks = part_checks.part_checks(about.conn, about.job.id)
    made = repairs.of_job(about.conn, about.job.id)
    rows = []
    for i, r in enumerate(made):
        unit = UNITS.get(parts[r.part].kind, "") if r.part in parts else ""
        mine = [c for c in checks if c.part == r.part]
        before = next((c for c in reversed(mine) if c.after_repair < r.id), None)
        after = next((c for c in mine if c.after_repair >= r.id), None)
        then = _tested(made, i)
        fitted = Amount(r.value, unit) if r.value and unit else ""
        what = f"{r.what}{': ' + r.words if r.words else ''}"
        rows.append(
            Row(parts[r.part].name if r.part in parts else r.part, (what, _checked(before, unit), _checked(after, unit) or fitted, then))
        )
    return rows


def _tested(made: list[Repair], i: int) -> str:
    """What the test after a change showed; one test after several changes is shared by all of them."""
    last = next((k for k in range(i, len(made)) if made[k].test), None)
    if last is None:
        return "not tested since"
    first = next((k + 1 for k in range(i - 1, -1, -1) if made[k].test), 0)
    others = dict.fromkeys(m.part for m in made[first : last + 1] if m.id != made[i].id)
    test = made[last].test
    assert test
    return f"{test.outcome}: {test.words}{', tested together with ' + ', '.join(others) if others else ''}"


def _checked(row: part_checks.PartCheckRow | None, unit: str) -> Cell:
    if row is None:
        return ""
    return "open" if row.value is None else Amount(row.value - row.leads, unit)


def _coils(about: About) -> Chapter:
    blocks: list[Block] = []
    for row in guided_store.works_of_job(about.conn, about.job.id):
        if row.piece not in PIECES:
            continue
        view = guided.work_view(about.conn, about.job.id, row.id)
        lines = []
        for stage in view.stages:
            if stage.said:
                figures = "; ".join(f"{label.lower()} {value}" for label, value in stage.answered)
                lines.append(f"{stage.stage.title}: {stage.said.sentence}{' (' + figures + ')' if figures else ''}")
        if lines:
            title = f"{view.piece.title}{', ' + view.subject if view.subject else ''}"
            ended = f", {row.outcome}" if row.outcome else ""
            blocks.append(Lines(f"{title}{ended}", tuple(lines)))
    return Chapter("coils", "Coils and guided work", tuple(blocks), empty="No guided work was needed.")


def _bands(about: About) -> Chapter:
    view = bands.view(about.conn, about.job.id)
    rows = []
    for line in view.lines:
        r = line.readings
        if r.off_air or r.generator or r.level_v is not None or r.coil_ohm is not None:
            level: Cell = None if r.level_v is None else line.level if math.isinf(r.level_v) else Amount(r.level_v, "V")
            coil: Cell = None if r.coil_ohm is None else line.coil if math.isinf(r.coil_ohm) else Amount(r.coil_ohm, "Ω")
            rows.append(Row(line.band.name, (r.off_air or "", r.generator or "", level, coil, line.verdict.sentence)))
    blocks: tuple[Block, ...] = (
        (Table("Before alignment", ("off air", "generator", "level for 50 mW", "aerial coil", "verdict"), tuple(rows)),) if rows else ()
    )
    covered = oscillator.view(about.conn, about.job.id, about.model)
    if covered.swept:
        blocks = (*blocks, Lines("Oscillator over the dial", (*covered.covered.sentences, f"Read {covered.swept}.")))
    kept = journal.of_job(about.conn, about.job.id)
    if images := [line.words for line in kept.lines if line.kind == "image ratio" and line.status == "valid"]:
        blocks = (*blocks, Lines("Image ratios on the way", tuple(images)))
    return Chapter("bands", "Every band", blocks, empty="The bands were not heard one by one.")


def _led(phase: str, title: str) -> Callable[[About], Chapter]:
    """The builder of a phase that runs lead through: the last run of it that was finished, else the last."""

    def build(about: About) -> Chapter:
        of_phase = [r for r in runs.runs_of_job(about.conn, about.job.id) if r.phase == phase]
        finished = runs.finished_runs(about.conn, about.job.id)
        stale = stale_now(about.conn, about.job.id, phase)
        mark = shelf.phase_marks(about.conn, about.job.id).get(phase)
        if not of_phase:
            by_hand = (Lines("Done by hand", (mark.remark,)),) if mark and mark.state == "done" and mark.remark else ()
            return Chapter(phase, title, by_hand, empty="Not done in this job.")
        row = next((r for r in reversed(of_phase) if r.id in finished), of_phase[-1])
        record = run_record.read_run(RunBook(about.conn, row.id))
        blocks: list[Block] = []
        for name in SHOWN_OF_PHASE[phase]:
            part = section(record.sections, name)  # type: ignore[arg-type]
            if part and part.rows:
                blocks.append(Table(TITLES[name], part.columns, part.rows[:MOST_ROWS]))
        if record.gain:
            blocks.insert(0, Table("Gained", ("at equal generator level, dB",), (Row("measured before and after", (record.gain,)),)))
        if picture := run_record.response_picture(record):
            blocks.append(Drawn("Response", picture))
        words = [*record.decisions, *(f"{f.subject}: {f.sentence}" for f in record.findings)]
        if words:
            blocks.append(Lines("Decided and found", tuple(words)))
        if record.left_out:
            blocks.append(Lines("Left out", tuple(record.left_out)))
        how = f"Run {row.id}, {row.started_utc[:10]}, {'typed by hand' if record.by_hand else 'by instruments'}"
        blocks.append(Lines("", (f"{how}{'; ' + record.style if record.style else ''}{'' if record.finished else '; not finished'}",)))
        return Chapter(phase, title, tuple(blocks), stale.why if stale else "")

    return build


def _verification(about: About) -> Chapter:
    found = [t for t in measuring.taken(about.conn, about.job.id) if not t.struck]
    return Chapter("verification", "Verified", measured_blocks(found, about.conn, about.job.id), empty="Nothing was verified yet.")


def measured_blocks(found: list[measuring.Taken], conn: sqlite3.Connection, job_id: int) -> tuple[Block, ...]:
    """Return measurements as blocks of a document: sensitivities in one table, the others one by one, curves with them."""
    blocks: list[Block] = []
    sensitivities = [t for t in found if t.measure.name == "sensitivity"]
    if sensitivities:
        rows = tuple(
            Row(f"{t.band_name} at {t.at}", (_main(t), t.unsure, t.definition, _how(t, conn, job_id), _against(t))) for t in sensitivities
        )
        blocks.append(Table("Sensitivity", ("level", "±, 95\u00a0%", "by", "how", "beside the papers"), rows))
    checked = [t for t in found if t.measure.name == "frequency"]
    if checked:
        rows = tuple(
            Row(
                f"{t.band_name}, {format_plain(t.values['nominal_hz'], unit='Hz', digits=8)}",
                (_main(t), t.figures[1].shown, t.unsure, _how(t, conn, job_id)),
            )
            for t in checked
        )
        blocks.append(Table("Frequency accuracy", ("error", "of it", "±, 95\u00a0%", "how"), rows))
    for t in (t for t in found if t.measure.name not in ("sensitivity", "frequency")):
        rows = tuple(
            Row(f.name or t.measure.title, (Amount(f.value, f.unit, signed=f.signed) if f.value is not None else f.shown,))
            for f in t.figures
        )
        where = f", {t.band_name} at {t.at}" if t.band_name and t.at else ""
        blocks.append(Table(f"{t.measure.title}{where}", ("measured",), rows))
        blocks += [Drawn("", t.curve)] if t.curve else []
        blocks.append(Lines("", (f"By {_how(t, conn, job_id)}.",)))
    beside = beside_good.view(conn, job_id)
    if beside.scored:
        blocks.append(Lines("Beside a good set", beside.whole.sentences))
    return tuple(blocks)


def _main(t: measuring.Taken) -> Cell:
    return (
        t.main.shown
        if t.main.value is None
        else Amount(t.main.value, t.main.unit, signed=t.main.signed, digits=t.main.digits if t.sure.u95 else None)
    )


def _how(t: measuring.Taken, conn: sqlite3.Connection, job_id: int) -> str:
    covers = {"on": "covers on", "off": "covers off"}.get(t.cover, "")
    if shift := measuring.cover_shift(conn, job_id, t):
        covers += f" ({shift.words} from covers off)"
    if pointer_hz := t.values.get("pointer_hz"):
        covers += f", pointer at {format_plain(pointer_hz, unit='Hz', digits=5)}"
    simulated = "on a practice set" if t.conditions.get("simulated") else ""
    stale = f"no longer stands, {t.stale}" if t.stale else ""
    by = {"instruments": "instruments", "by hand": "hand", "recording": "a recording"}[t.source]
    return ", ".join(filter(None, (by, str(t.conditions.get("coupling", "")), covers, simulated, t.at_utc[:10], stale)))


def _against(t: measuring.Taken) -> str:
    return t.against.sentence if t.limit else ""


def _notes(about: About) -> Chapter:
    """Every bench note, with what came of it, and every intake note that no other chapter shows."""
    blocks = []
    for kind in ENTRY_KINDS.values():
        found = () if kind.name in OF_INTAKE else entries.of_kind(about.conn, about.job.id, kind.name)
        if found:
            blocks.append(Lines(kind.title, tuple(f"{_in_words(e)}{f' ({e.words})' if e.words else ''}" for e in found)))
    return Chapter("notes", "Notes", tuple(blocks), empty="No note was written.")


def _left_alone(about: About) -> Chapter:
    gate = intake.gate_of(about.conn, about.job.id)
    lines = [f"Waived: {gate.waived}"] if gate.waived else []
    for line in bands.view(about.conn, about.job.id).lines:
        if line.readings.left_blank:
            lines.append(f"{line.band.name} was not measured: {line.readings.left_blank}")
    for kind, outcome in (("worry", "a characteristic"),):
        for e in entries.of_kind(about.conn, about.job.id, kind):
            if e.ended and e.outcome == outcome:
                lines.append(f"{e.detail['worry']}: {outcome}, {e.words}")
    return Chapter("left alone", "Left alone, and why", (Lines("", tuple(lines)),) if lines else (), empty="Nothing was left alone.")


def _open(about: About) -> Chapter:
    blocks = outstanding(about.conn, about.job.id)
    return Chapter("open", "Open, and to be looked at next", blocks, empty="Nothing is open.")


def outstanding(conn: sqlite3.Connection, job_id: int) -> tuple[Block, ...]:
    """Return what of a job is still open: the outstanding list of its hand-back, and of the next session."""
    job = job_of(conn, job_id)
    left = pick_up.pick_up(conn, job)
    still = entries.still_open(conn, job_id)
    named = (
        (COMPLAINED, [f"“{c.words}”: {c.state}" for c in intake.complaints_of(conn, job_id) if not c.settled]),
        ("Not done at the bench", [p.name for p in phases_of(conn, job) if p.can_run and p.state != "done"]),
        ("Open", [line.words for line in left.open]),
        ("Bands that fail", [line.words for line in left.failing]),
        ("Only suspected", [line.words for line in left.suspected]),
        ("Predicted, to be looked at", [line.words for line in left.predicted]),
        ("Waited for", [e.detail["item"] for e in still.get("waiting", ())]),
        ("Watched", soaking.still_open(conn, job_id)),
        ("Outside its limits", measuring.outside(conn, job_id)),
        ("To be measured", measuring.lacks(conn, job_id)),
        ("To be looked at again", [f"{look.sentence}, {look.when}" for look in due.looks(conn, job)]),
    )
    return tuple(Lines(title, tuple(lines)) for title, lines in named if lines)


def _photographs(about: About) -> Chapter:
    chosen = photographs.chosen_of_job(about.conn, about.job.id)
    rows = [p for p in photographs.photographs_of_job(about.conn, about.job.id) if p.id in chosen]
    shown = tuple(
        Photograph(p.job_id, p.id, p.sha256, p.caption, tuple(pin.label for pin in photographs.pins_of_photograph(about.conn, p.id)))
        for p in rows
    )
    return Chapter("photographs", "Photographs", (Shown("", shown),) if shown else (), empty="None is chosen.")


def _recordings(about: About) -> Chapter:
    rows = []
    for row in recordings.kept_of(about.conn, about.job.id):
        said: list[Cell] = [row.row.at_utc[:10]]
        for name in ("tone_hz", "sinad_db", "signal_to_noise_db"):
            value = row.figures.get(name)
            said.append("–" if value is None else Amount(value, recordings.FIGURES[name][1]))
        rows.append(Row(row.row.words, (*said, row.with_reading or row.row.input)))
    head = ("Day", "Tone", "SINAD", "(S+N)/N", "With")
    return Chapter("recordings", "Recordings", (Table("", head, tuple(rows)),) if rows else (), empty="None was kept.")


def _how_it_was_measured(about: About) -> Chapter:
    used = instruments_register.lines_used(about.conn, about.job)
    blocks: list[Block] = [Lines("Instruments", tuple(f"{line.name}, {line.quantity}: {line.sure.words}" for line in used))] if used else []
    style = _style(about)
    if style:
        blocks.append(Lines("House style", (style,)))
    reckoned = [r.sentence for r in reckonings.reckonings_of_job(about.conn, about.job.id)]
    if reckoned:
        blocks.append(Lines("Reckoned", tuple(reckoned)))
    return Chapter("how", "How it was measured", tuple(blocks))


def _style(about: About) -> str:
    """The house style of the last run of this job: each keeps the one that it was begun with."""
    for row in reversed(runs.runs_of_job(about.conn, about.job.id)):
        style: Mapping[str, str] = json.loads(runs.plan_of_run(about.conn, row.id)).get("style") or {}
        if style:
            return in_words(style)
    return ""


CHAPTERS: tuple[Callable[[About], Chapter], ...] = (
    _intake,
    _start,
    _parts,
    _coils,
    _bands,
    _led("intermediate frequency", "Intermediate frequency"),
    _led("oscillator and dial", "Oscillator and dial"),
    _led("front end", "Front end"),
    _verification,
    _notes,
    _left_alone,
    _open,
    _photographs,
    _recordings,
    _how_it_was_measured,
)
