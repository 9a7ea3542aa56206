"""The shelf: models, sets and jobs; bringing in a dossier, adding a set, opening a job, beginning a run."""

import hashlib
import json
import re
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model
from calm_needle.core.dossier.sketch import CORES, LOW_ENDS, MOST_TRANSFORMERS, SAFETY, TECHNOLOGY, Sketched, SketchedBand, key_of, sketch
from calm_needle.core.plausible import IF_OF_KIND
from calm_needle.core.procedure.derived import DERIVED
from calm_needle.core.procedure.dial.steps import MEANS
from calm_needle.core.procedure.phases import PHASE_NAMES, PHASES, Door, phase_named
from calm_needle.core.procedure.plan import plan_of
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.gate import ALIGNMENT, BEFORE_ALIGNMENT
from calm_needle.core.soundness.parts_sweep import Part
from calm_needle.errors import FieldsRefused, FileRefused, NotFound, NotUnderstood
from calm_needle.files.dossiers import load_dossier
from calm_needle.sim.receiver.circuit_faults import circuit_faults
from calm_needle.store import intake as intake_store
from calm_needle.store import runs, shelf
from calm_needle.store.db import transaction
from calm_needle.work.bench import run_book
from calm_needle.work.house_style import style_of
from calm_needle.work.jobs import intake
from calm_needle.work.slips import Slips

JOBS_A_PAGE, SETS_SHOWN, LONGEST_SEARCH = 24, 40, 100
LONGEST = {"serial": 40, "owner": 80, "remarks": 400, "complaint": 2000}


@dataclass(frozen=True)
class PhaseLine:
    """One phase of a job as its page shows it."""

    name: str
    state: str  # done, open, running; "if needed" for one that only a failed step calls for; "held up" for one that waits for something
    words: str
    run_id: int | None
    can_run: bool
    partly: bool = False  # what is to be done again is less than all of it
    doors: tuple[Door, ...] = ()  # the pages on which it is worked on or looked at
    means: tuple[tuple[str, str], ...] = ()  # by which it can be found where the set receives, the usual one first
    by_hand: str = ""  # what is asked of somebody who says that it was done by hand


def take_in_dossier(conn: sqlite3.Connection, content: bytes, *, name: str) -> Model:
    """Keep a dossier file and return its model. Raises FileRefused with every fault; nothing is changed then."""
    data = load_dossier(content, name=name)
    if faults := list(circuit_faults(data)):
        raise FileRefused(name, faults)
    return keep_dossier(conn, data)


def keep_dossier(conn: sqlite3.Connection, data: dict[str, Any]) -> Model:
    """Keep a dossier whose data was found right, and return its model."""
    text = json.dumps(data, ensure_ascii=False, indent=2)
    with transaction(conn):
        shelf.add_dossier(
            conn, key=data["key"], name=data["name"], content=text, sha256=hashlib.sha256(text.encode()).hexdigest(), at_utc=now_utc(conn)
        )
    return read_model(data)


# Limits as people write them, «530k-1600k», «530–1600 kHz»: a unit at the end is both limits'; what is not of a unit begins the name.
LOWEST_HZ = 50e3
ANY_IF_HZ = (10e3, 200e6)
FIGURE, UNIT = r"(\d[\d.,]*)", r"([kKM]?(?:Hz)?)"
LIMITS = re.compile(rf"{FIGURE}\s*{UNIT}\s*[-–]\s*{FIGURE}\s*{UNIT}(?![A-Za-z])\s*(.*)")
NEXT_BAND = re.compile(r"\n|[,;]\s+(?=\d[\d.,]*\s*[kKM]?(?:Hz)?\s*[-–]\s*\d)")  # a line each, or with commas between


def sketch_model(conn: sqlite3.Connection, form: dict[str, str]) -> Model:
    """Keep a model sketched from what was typed: name, technology, safety_class, if_hz, bands (a line each, «530k-1600k medium wave: 550k
    600k 1M»), transformers, cores, low_end, trimmers. Raises FieldsRefused, FileRefused.
    """
    slips = Slips(form)
    faults = slips.faults
    name = form.get("name", "").strip()[:80]
    if not key_of(name):
        faults["name"] = "Write the model’s name, or a working name for it."
    elif shelf.model_by_key(conn, key_of(name)):
        faults["name"] = "There is a model of that name already."
    if form.get("safety_class") not in SAFETY:
        faults["safety_class"] = "Choose how it is fed; “unknown” is treated as live."
    try:
        if_hz = parse_si(form.get("if_hz", ""), unit="Hz")
        slips.within("if_hz", if_hz, sensible=IF_OF_KIND["broadcast"], unit="Hz")
        if not ANY_IF_HZ[0] <= if_hz <= ANY_IF_HZ[1] and "if_hz" not in faults:
            faults["if_hz"] = "An intermediate frequency lies between 10 kHz and 200 MHz: 468k."
    except NotUnderstood as fault:
        if_hz, faults["if_hz"] = 0.0, str(fault)
    bands = []
    for line in NEXT_BAND.split(form.get("bands", "")):
        if line.strip():
            try:
                bands.append(_sketched_band(line.strip()))
            except NotUnderstood as fault:
                faults["bands"] = str(fault)
    if not bands and "bands" not in faults:
        faults["bands"] = "Write one band a line: 530k-1600k medium wave."
    counted = form.get("transformers", "").strip() or "0"
    if not counted.isascii() or not counted.isdecimal() or int(counted) > MOST_TRANSFORMERS:
        faults["transformers"] = f"Count the IF cans: a whole number up to {MOST_TRANSFORMERS}."
    slips.refuse()
    said = Sketched(
        name,
        form.get("technology") if form.get("technology") in TECHNOLOGY else "valve",  # type: ignore[arg-type]
        form["safety_class"],
        if_hz,
        tuple(bands),
        int(counted),
        "one" if form.get("cores") == "one" else "two",
        form.get("low_end") if form.get("low_end") in LOW_ENDS else "nothing",  # type: ignore[arg-type]
        form.get("trimmers") == "yes",
    )
    try:
        return take_in_dossier(conn, json.dumps(sketch(said)).encode(), name=name)
    except FileRefused as refused:
        said_of = {"if_hz": [f for f in refused.faults if "if_hz" in f.path], "bands": [f for f in refused.faults if "if_hz" not in f.path]}
        found = {field: "; ".join(dict.fromkeys(f.sentence for f in here)) for field, here in said_of.items() if here}
        raise FieldsRefused(found) from None


def _sketched_band(line: str) -> SketchedBand:
    """«530k-1600k medium wave: 550k 600k 1M»: limits, name, and the marks of its scale that somebody read off it."""
    head, _, marks = line.partition(":")
    limits = LIMITS.match(head.strip())
    if not limits:
        raise NotUnderstood(line[:40], why="does not begin with both limits", example="530k-1600k medium wave")
    low, low_unit, high, unit, words = limits.groups(default="")
    f_low, f_high = parse_si(low + (low_unit or unit), unit="Hz"), parse_si(high + unit, unit="Hz")
    read = sorted({parse_si(m, unit="Hz") for m in marks.replace(",", " ").split()})
    if not 0.0 < f_low < f_high:
        raise NotUnderstood(line[:40], why="does not rise", example="530k-1600k medium wave")
    if f_low < LOWEST_HZ:
        raise NotUnderstood(line[:40], why="lies below every broadcast band: a k or an M was left out", example="530k-1600k medium wave")
    if any(not f_low * 0.9 <= m <= f_high * 1.1 for m in read):
        raise NotUnderstood(line[:60], why="has a mark outside the band", example="530k-1600k medium wave: 550k 600k 800k 1M 1.4M")
    return SketchedBand(words.strip() or f"{low}{low_unit}-{high}{unit}", f_low, f_high, tuple(min(max(m, f_low), f_high) for m in read))


def model_of(conn: sqlite3.Connection, key: str) -> Model:
    """Return a model by its key. Raises NotFound."""
    row = shelf.model_by_key(conn, key)
    if row is None:
        raise NotFound("model", key)
    return model_of_dossier(conn, row.dossier_id)


def model_of_dossier(conn: sqlite3.Connection, dossier_id: int) -> Model:
    """Return the model a dossier describes. Raises NotFound."""
    content = shelf.dossier_content(conn, dossier_id)
    if content is None:
        raise NotFound("dossier", dossier_id)
    return _read(content)


@lru_cache(maxsize=64)
def _read(content: str) -> Model:
    """A dossier is never changed, so it is read once; nobody writes into a model."""
    return read_model(json.loads(content))


@lru_cache(maxsize=64)
def _steps_led(content: str) -> dict[str, int]:
    """How many steps of each phase a run of this dossier would lead through."""
    model = _read(content)
    return {phase.name: len(plan_of(model, phase.name).steps) for phase in PHASES}


def dossier_text(conn: sqlite3.Connection, key: str) -> str:
    """Return a model's dossier as the file it is exchanged as. Raises NotFound."""
    row = shelf.model_by_key(conn, key)
    content = shelf.dossier_content(conn, row.dossier_id) if row else None
    if content is None:
        raise NotFound("model", key)
    return content + "\n"


def add_set(conn: sqlite3.Connection, form: dict[str, str]) -> int:
    """Keep a set from what was typed (model, serial, owner, remarks). Raises FieldsRefused with a sentence per field."""
    faults = _too_long(form, "serial", "owner", "remarks")
    model = shelf.model_by_key(conn, form.get("model", ""))
    serial = form.get("serial", "").strip()
    if model is None:
        faults["model"] = "Choose the model; if it is not listed, bring in its dossier first."
    if not serial:
        faults["serial"] = "Write the serial number, or any mark that tells this set from another."
    if faults or model is None:
        raise FieldsRefused(faults)
    try:
        return shelf.add_set(
            conn,
            model_id=model.id,
            serial=serial,
            owner=form.get("owner", "").strip(),
            remarks=form.get("remarks", "").strip(),
            at_utc=now_utc(conn),
        )
    except sqlite3.IntegrityError:
        raise FieldsRefused({"serial": f"A {model.name} with the number {serial} is on the shelf already."}) from None


def open_job(conn: sqlite3.Connection, form: dict[str, str]) -> int:
    """Open a job from what was typed: set, or model and serial of one that is put on the shelf with it; complaint, bench.

    Raises FieldsRefused with a sentence per field; nothing is kept then.
    """
    faults = _too_long(form, "complaint", "serial", "owner", "remarks")
    serial, set_id = form.get("serial", "").strip(), None
    model = shelf.model_by_key(conn, form.get("model", ""))
    if serial and model:
        set_id = shelf.set_of_serial(conn, model_id=model.id, serial=serial)
    elif serial:
        faults["model"] = "Choose the model of this set; if it is not listed, bring in its dossier or sketch it first."
    elif re.fullmatch(r"[0-9]{1,15}", form.get("set", "")) and shelf.radio_set(conn, int(form["set"])):
        set_id = int(form["set"])
    else:
        faults["set"] = "Choose the set this job is about, or type the number of a new one."
    if not form.get("complaint", "").strip():
        faults["complaint"] = "Write what is complained of, or what is wanted; it is looked at again before the job closes."
    if form.get("bench") not in ("instruments", "typed"):
        faults["bench"] = "Choose how readings come: from instruments, or read by eye and typed."
    if faults:
        raise FieldsRefused(faults)
    complaints = [line.strip() for line in form["complaint"].splitlines() if line.strip()]
    with transaction(conn):
        if set_id is None:
            set_id = add_set(conn, form)
        return open_job_for(conn, set_id=set_id, complaints=complaints, bench=form["bench"], at_utc=now_utc(conn))


def open_job_for(conn: sqlite3.Connection, *, set_id: int, complaints: list[str], bench: str, at_utc: str) -> int:
    """Keep a job with its complaints, each an item of its own. Within a transaction."""
    job_id = shelf.add_job(conn, set_id=set_id, complaint=complaints[0], bench=bench, at_utc=at_utc)
    for words in complaints:
        intake_store.add_complaint(conn, job_id=job_id, words=words, place="", at_utc=at_utc)
    return job_id


def job_of(conn: sqlite3.Connection, job_id: int) -> shelf.JobRow:
    """Return a job. Raises NotFound."""
    row = shelf.job(conn, job_id)
    if row is None:
        raise NotFound("job", job_id)
    return row


def parts_of_job(conn: sqlite3.Connection, job: shelf.JobRow) -> list[Part]:
    """Return the parts that the dossier of a job's model lists."""
    return list(model_of_dossier(conn, job.dossier_id).parts)


def phases_of(conn: sqlite3.Connection, job: shelf.JobRow) -> list[PhaseLine]:
    """Return the phases of a job in the order of the work, with what has been done in each."""
    marks = shelf.phase_marks(conn, job.id)
    style = style_of(conn)
    led = _steps_led(shelf.dossier_content(conn, job.dossier_id) or "{}")
    finished = runs.finished_runs(conn, job.id)
    of_job, held = runs.runs_of_job(conn, job.id), waited_for(conn, job.id)
    lines = []
    for phase in PHASES:
        here = [r for r in of_job if r.phase == phase.name]
        last = here[-1] if here else None
        mark = marks.get(phase.name)
        running, stale = last is not None and last.id not in finished, None
        done = mark is not None and mark.state == "done"
        state = "running" if running else "done" if done else "if needed" if phase.if_needed else "open"
        can_run = led[phase.name] > 0
        waits = held.get(phase.name)
        if running:
            words = "in hand"
        elif done and mark:
            words = f"done {mark.at_utc[:10]}" + (f", {mark.remark}" if mark.remark else "")
        elif waits:
            state, words = "held up", f"waits for {waits}"
        elif stale := run_book.stale_now(conn, job.id, phase.name):
            words = f"again: {stale.why}"
        elif state == "if needed":
            words = "when a step cannot be met"
        elif can_run:
            words = "led by what is read, band by band" if phase.name in DERIVED else f"{led[phase.name]} steps in the dossier"
        else:
            words = phase.words or "by hand; the program keeps that it was done"
        partly = not running and not done and stale is not None and bool(stale.groups) and can_run
        lines.append(
            PhaseLine(
                *(phase.name, state, words, last.id if last else None, can_run, partly),
                doors=phase.doors,
                means=means_of(job, phase.name, style),
                by_hand=phase.by_hand,
            )
        )
    return lines


def waited_for(conn: sqlite3.Connection, job_id: int) -> dict[str, str]:
    """Return the phases of a job that wait for something, each with what it is."""
    still = (e for e in intake_store.entries_of_job(conn, job_id) if e.kind == "waiting" and e.ended_utc is None)
    details = [json.loads(e.detail) for e in still]
    return {d["blocks"]: d["item"] for d in details if d.get("blocks") in PHASE_NAMES}


def following(conn: sqlite3.Connection, job_id: int, lines: list[PhaseLine]) -> PhaseLine | None:
    """Return the phase to go on with: a run in hand, else the first that is open; what was waived no longer stands in the way, nor what is
    done at will once a later one is done."""
    gate = intake.gate_of(conn, job_id)
    passed = set(BEFORE_ALIGNMENT) if gate.open and gate.waived else set()
    last_done = max((n for n, p in enumerate(lines) if p.state == "done"), default=-1)
    passed |= {p.name for p in lines[: max(0, last_done)] if phase_named(p.name).at_will}
    running = next((p for p in lines if p.state == "running"), None)
    return running or next((p for p in lines if p.state == "open" and p.name not in passed), None)


def mark_phase(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Record that a phase was done by hand, or is open again. Raises FieldsRefused."""
    job_of(conn, job_id)
    phase, state = form.get("phase", ""), form.get("state", "")
    if phase not in PHASE_NAMES or state not in ("done", "open"):
        raise FieldsRefused({"phase": "There is no such phase."})
    remark = form.get("remark", "").strip()[:400]
    asked = phase_named(phase).by_hand
    if asked and state == "done" and not any(c.isdigit() for c in remark):
        raise FieldsRefused({"phase": f"{asked}: done by hand is believed with a figure, which then stands in the record."})
    if phase == "record" and state == "done" and not (closing := intake.closing_of(conn, job_id)).open:
        raise FieldsRefused({"phase": f"{closing.sentence} {'; '.join(closing.missing)}."})
    shelf.mark_phase(conn, job_id=job_id, phase=phase, state=state, remark=remark, at_utc=now_utc(conn))


def means_of(job: shelf.JobRow, phase: str, style: Mapping[str, str] | None = None) -> tuple[tuple[str, str], ...]:
    """Return by which means a job's bench finds where the set receives: name and words, the usual one first; none if a phase asks none."""
    if phase not in DERIVED:
        return ()
    usual = (style or {}).get("means") or run_book.usual_means(job.bench)
    offered = [(m.name, m.words) for m in MEANS.values() if "typed" in m.benches or job.bench in m.benches]
    return tuple(sorted(offered, key=lambda m: m[0] != usual))


def begin_run(conn: sqlite3.Connection, job_id: int, phase: str, *, in_full: bool = True, means: str = "") -> int:
    """Begin a run of a phase, or return the one that is open. Raises NotFound, FieldsRefused for a phase that cannot be led.

    in_full: through all of it; else through what a change has made stale. means: by which it is found where the set receives, where that is
    asked, the house style's if nobody says; what no instrument reads is typed then.
    """
    job = job_of(conn, job_id)
    offered = means_of(job, phase, style_of(conn))
    means = means or (offered[0][0] if offered else "")
    if means and means not in {name for name, _ in offered}:
        raise FieldsRefused({"phase": "There are no such means at this bench."})
    finished = runs.finished_runs(conn, job_id)
    for row in runs.runs_of_job(conn, job_id):
        if row.phase == phase and row.id not in finished:
            return row.id
    gate = intake.gate_of(conn, job_id)
    if phase in ALIGNMENT and not gate.open:
        raise FieldsRefused({"phase": f"{gate.sentence} Or waive it on the job’s page, with a reason."})
    if phase not in PHASE_NAMES:
        raise FieldsRefused({"phase": "There is no such phase."})
    if item := waited_for(conn, job_id).get(phase):
        raise FieldsRefused({"phase": f"This waits for {item}. Write down at intake that it has come, and it goes on."})
    bench = "typed" if means and job.bench not in MEANS[means].benches else None
    return run_book.begin_run(conn, job_id=job_id, phase=phase, at_utc=now_utc(conn), in_full=in_full, means=means, bench=bench)


def overview(conn: sqlite3.Connection, *, words: str = "", page: int = 1) -> dict[str, Any]:
    """Return what the shelf page shows: one page of the jobs in which every word of `words` is found, and what else there is."""
    rows, found, page = _page_of_jobs(conn, words, max(page, 1))
    jobs = []
    for job in rows:
        lines = phases_of(conn, job)
        running = next((p for p in lines if p.state == "running"), None)
        to_do = following(conn, job.id, lines)
        said = f"{running.name}, in hand" if running else f"next: {to_do.name}" if to_do else "all phases done"
        jobs.append({"row": job, "words": said, "run_id": running.run_id if running else None})
    return {
        "models": shelf.models(conn),
        "sets": shelf.newest_sets(conn, limit=SETS_SHOWN),
        "set_count": shelf.count_sets(conn),
        "jobs": jobs,
        "found": found,
        "page": page,
        "pages": max(1, -(-found // JOBS_A_PAGE)),
        "words": words,
        "safety": SAFETY,
        "cores": CORES,
        "low_ends": LOW_ENDS,
    }


def _page_of_jobs(conn: sqlite3.Connection, words: str, page: int) -> tuple[list[shelf.JobRow], int, int]:
    """The jobs of a page, how many there are in all, and the page it is: the last, when there are not so many."""
    patterns = _patterns(words) if words.strip() else None
    found = shelf.count_found(conn, patterns=patterns) if patterns else shelf.count_jobs(conn)
    page = min(page, max(1, -(-found // JOBS_A_PAGE)))
    offset = (page - 1) * JOBS_A_PAGE
    if patterns:
        return shelf.find_jobs(conn, patterns=patterns, limit=JOBS_A_PAGE, offset=offset), found, page
    return shelf.newest_jobs(conn, limit=JOBS_A_PAGE, offset=offset), found, page


def remarks_of(conn: sqlite3.Connection, job: shelf.JobRow) -> str:
    """Return what is noted about a job's set."""
    row = shelf.radio_set(conn, job.set_id)
    return row.remarks if row else ""


def _patterns(words: str) -> tuple[str, str, str]:
    """Up to three words as patterns of LIKE; what is typed stands for itself."""
    out = []
    for word in words[:LONGEST_SEARCH].split()[:3]:
        for sign in "!%_":
            word = word.replace(sign, f"!{sign}")
        out.append(f"%{word}%")
    a, b, c = [*out, "%", "%", "%"][:3]
    return a, b, c


def _too_long(form: dict[str, str], *names: str) -> dict[str, str]:
    return {n: f"Keep it under {LONGEST[n]} letters; put the rest into the remarks." for n in names if len(form.get(n, "")) > LONGEST[n]}
