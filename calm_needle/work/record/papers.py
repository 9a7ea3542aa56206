"""Papers of a job beside its certificate: hand-back summary in the owner's words, label, bench sheets with blanks, outstanding list."""

import io
import sqlite3
from collections.abc import Iterator

import segno

from calm_needle.clock import clock_of
from calm_needle.core.chapters import Block, Chapter, Lines, Table
from calm_needle.core.dossier.model import Model
from calm_needle.core.procedure.phases import PHASES
from calm_needle.core.procedure.report import Row
from calm_needle.core.procedure.set_up import settings
from calm_needle.core.quantities import format_plain
from calm_needle.core.soundness.guided.pieces import PIECES
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.files.pdf.document import Head, Paper, label, write
from calm_needle.store import guided as guided_store
from calm_needle.work.jobs import entries, intake
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.record import job_record
from calm_needle.work.soundness import repairs, safe_start
from calm_needle.work.verification import measuring

BLANK = ""
MARKED_TIMES = 1.5  # weaker, from which on one hears the difference
WRITE = "________________"
# What the owner is told, by what feeds the set.
FOR_THE_OWNER: dict[str, tuple[str, ...]] = {
    "isolated by a transformer": ("Hundreds of volts stand inside while it is on and for a while after. Do not open it.",),
    "live chassis": (
        "Its chassis is connected to the mains: any metal of it can be live. Never use it without its back, its knobs and their screws.",
        "Let nobody connect an aerial, an earth or headphones other than through its own sockets.",
    ),
    "battery": ("Take the battery out when it is not used for some weeks: it leaks.",),
    "high-voltage transmitter": ("Transmitting needs a licence, and its aerial must be matched. Never open it while it is connected.",),
    "unknown": ("What feeds it was not found out: have it opened and connected by somebody who knows such sets only.",),
}
ALWAYS = (
    "Do not leave it on unattended. If it smells, smokes or hums loudly, pull the plug, and bring it back.",
    "Local codes and licensed practice have the last word on what it may be plugged into.",
)
IN_OWNERS_WORDS = {
    "replaced": "was replaced",
    "wound anew": "was wound anew",
    "mended": "was mended",
    "cleaned": "was cleaned",
    "moved": "was moved",
}


def hand_back(conn: sqlite3.Connection, job_id: int) -> list[Chapter]:
    """Return the hand-back summary in the owner's words: what was wrong, what was done, what it does now, what to mind. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    parts = {p.id: p.name for p in model.parts}
    complaints = [f"“{c.words}”: {_complaint(c.state)}" for c in intake.complaints_of(conn, job_id)]
    done = [f"{parts.get(r.part, r.part)} {IN_OWNERS_WORDS[r.what]}" for r in repairs.of_job(conn, job_id)]
    done += [
        f"{piece.title.lower()}{' on ' + parts.get(row.subject, row.subject) if row.subject else ''}"
        for row in guided_store.works_of_job(conn, job_id)
        if row.outcome == "done" and (piece := PIECES.get(row.piece))
    ]
    now = [words for line in measuring.view(conn, job_id).lines if (words := _sensitivity_in_words(conn, job_id, line))]
    blocks: list[tuple[str, str, list[str], str]] = [
        ("wrong", "What you told us", complaints, "Nothing was complained of."),
        ("done", "What was done", list(dict.fromkeys(done)), "Nothing was changed; it was measured and adjusted."),
        ("now", "What it does now", now, "It was not measured at the end."),
        ("kept", "What is with the set", _kept(conn, job_id), "No old parts were kept apart."),
        ("mind", "What to mind", [*FOR_THE_OWNER.get(model.safety_class, ()), *ALWAYS], ""),
    ]
    chapters = [Chapter(name, title, (Lines("", tuple(lines)),) if lines else (), empty=empty) for name, title, lines, empty in blocks]
    # What was complained of stands at its top already.
    still = tuple(b for b in job_record.outstanding(conn, job_id) if b.title != job_record.COMPLAINED)
    chapters.insert(3, Chapter("left", "What is left", still, empty="Nothing is left open."))
    return chapters


def _complaint(state: str) -> str:
    return {
        "gone": "no longer, when we tried it at the end",
        "still there": "still there",
        "a characteristic": "measured, and it is how this set is made",
    }.get(state, "not tried again yet")


def _sensitivity_in_words(conn: sqlite3.Connection, job_id: int, line: measuring.SensitivityLine) -> str:
    """What a band does now, for somebody to whom microvolts say nothing; empty where nothing was measured that stands."""
    last = line.last
    if last is None or last.stale or not last.main.value:
        return ""
    said = []
    came = measuring.since_it_came(conn, job_id, last)
    if came and came[0].main.value and came[1].better is not None:
        times = came[0].main.value / last.main.value
        if times >= MARKED_TIMES:
            said.append(f"hears signals {times:.0f} times weaker than when it came")
        elif times <= 1.0 / MARKED_TIMES:
            said.append("hears less than when it came")
        else:
            said.append("hears about as much as when it came")
    if last.limit:
        asked = {"good": "as much as its papers ask", "stop": "less than its papers ask"}
        said.append(asked.get(last.against.state, "about what its papers ask"))
    return f"{line.band.name}: {', '.join(said) or 'measured; the figures are in the record'}"


def _kept(conn: sqlite3.Connection, job_id: int) -> list[str]:
    kept = [e.detail["kept"] for e in entries.of_kind(conn, job_id, "consent") if e.detail.get("kept")]
    return kept + [r.words for r in repairs.of_job(conn, job_id) if "old part kept" in r.words]


def hand_back_pdf(conn: sqlite3.Connection, job_id: int, *, paper: Paper) -> bytes:
    """Return the hand-back summary as PDF. Raises NotFound."""
    job = job_of(conn, job_id)
    today = clock_of(conn).utc()
    head = Head("Handed back", f"{job.model_name}, no. {job.serial}", (f"Job {job.id}, {today.date().isoformat()}",), f"Job {job.id}")
    return write(head, hand_back(conn, job_id), paper=paper, at=today)


def outstanding_pdf(conn: sqlite3.Connection, job_id: int, *, paper: Paper) -> bytes:
    """Return the outstanding list as PDF. Raises NotFound."""
    job, today = job_of(conn, job_id), clock_of(conn).utc()
    chapter = Chapter("open", "Open", job_record.outstanding(conn, job_id), empty="Nothing is open.")
    head = Head("Outstanding", f"{job.model_name}, no. {job.serial}", (f"Job {job.id}, {today.date().isoformat()}",), f"Job {job.id}")
    return write(head, [chapter], paper=paper, at=today)


def label_pdf(conn: sqlite3.Connection, job_id: int, *, address: str) -> bytes:
    """Return a label for the set: a code of its job's address, what it is, since when it is here. Raises NotFound."""
    job = job_of(conn, job_id)
    out = io.BytesIO()
    segno.make(address, error="m").save(out, kind="svg", border=1, xmldecl=False, svgns=True, omitsize=True)
    lines = (f"Job {job.id} · no. {job.serial}", f"in {job.opened_utc[:10]}", job.complaint[:60])
    return label(job.model_name, lines, qr_svg=out.getvalue().decode(), at=clock_of(conn).utc())


def bench_sheets(conn: sqlite3.Connection, job_id: int) -> list[Chapter]:
    """Return sheets to work from on paper: rails, parts, and every step of the procedure, with blanks to write in. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    chapters = []
    start = safe_start.view(conn, job_id)
    rails = [
        Row(rail.point.name, (format_plain(rail.point.expected_v, unit="V") if rail.point.expected_v else "look it up", WRITE, WRITE))
        for rail in (*start.rails, *start.electrodes)
    ]
    if rails:
        chapters.append(Chapter("rails", "First power", (Table("", ("should be", "after 1 min", "after 10 min"), tuple(rails)),)))
    if model.parts:
        rows = tuple(Row(p.name, (format_plain(p.nominal, unit=UNITS[p.kind]), f"± {p.tolerance_percent:g} %", WRITE)) for p in model.parts)
        chapters.append(Chapter("parts", "Parts", (Table("", ("marked", "allowed", "measured"), rows),)))
    for phase in PHASES:
        blocks = tuple(_sheet_blocks(model, phase.name))
        if blocks:
            chapters.append(Chapter(phase.name, phase.name[0].upper() + phase.name[1:], blocks))
    return chapters


def _sheet_blocks(model: Model, phase: str) -> Iterator[Block]:
    for group in model.groups_of(phase):
        rows = []
        for step in group.steps:
            shown = "; ".join(f"{s.label} {s.shown}" for s in settings(step.set_up, None, model=model))
            rows.append(Row(step.title, (shown, WRITE, WRITE)))
        if rows:
            yield Table(group.title, ("set to", "before", "after"), tuple(rows))


def bench_sheets_pdf(conn: sqlite3.Connection, job_id: int, *, paper: Paper) -> bytes:
    """Return the bench sheets as PDF. Raises NotFound."""
    job, today = job_of(conn, job_id), clock_of(conn).utc()
    head = Head(
        "Bench sheets",
        f"{job.model_name}, no. {job.serial}",
        (f"Job {job.id}. What is written here is typed in afterwards.",),
        f"Job {job.id}",
    )
    return write(head, bench_sheets(conn, job_id), paper=paper, at=today)
