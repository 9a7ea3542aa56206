"""Changes made to a job's set, one by one, with the quick test after each and what they make stale."""

import json
import math
import sqlite3
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field

from calm_needle.clock import now_utc
from calm_needle.core.procedure.stale import Change, made_stale
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.parts_sweep import UNITS, Measured, Part, judge_part
from calm_needle.core.soundness.repairs import (
    DETAILS,
    HOW_TESTED,
    KINDS,
    OLD_PART,
    OUTCOMES,
    UNDER_THE_IRON,
    Detail,
    Fault,
    QuickTest,
    Repair,
    in_the_order_found,
    overruled,
    shared_credit,
    untested,
)
from calm_needle.errors import FieldsRefused, NotUnderstood
from calm_needle.store import part_checks, shelf, starts
from calm_needle.store import repairs as store
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.bench.run_book import open_again
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness import parts_sweep, safe_start
from calm_needle.work.soundness.power import power_of, why_live, why_silent

LONGEST_WORDS = 400
HAZARDS = ("soldering", "brittle-lugs", "mains-rated", "rectifier", "hot", "old-dust", "added-supply")
WHOLE_CAN, OUT_IN = "can:", "out:"
WORTH_ONE_ACT = 2  # parts of a region that are out, from which on they may be changed in one act


@dataclass(frozen=True)
class RepairsView:
    """The changes, what is untested, who shares credit, and what may be chosen."""

    job: JobRow
    repairs: list[Repair]
    untested: list[Repair]
    credits: list[str]
    choices: list[tuple[str, str, str]]  # value, words, verdict
    values: dict[int, str]
    is_on: bool
    usual_test: str
    cautions: list[Caution]
    rails: list[tuple[str, str]]  # that may be read with a test: id and name
    several: bool  # whether several may be changed in one act
    faults: list[Fault]
    whats: tuple[str, ...] = KINDS
    details: Mapping[str, tuple[Detail, ...]] = field(default_factory=lambda: DETAILS)
    old_parts: tuple[str, ...] = OLD_PART
    outcomes: tuple[str, ...] = OUTCOMES
    how_tested: Mapping[str, str] = field(default_factory=lambda: HOW_TESTED)


def view(conn: sqlite3.Connection, job_id: int) -> RepairsView:
    """Return the changes of a job's set. Raises NotFound."""
    job = job_of(conn, job_id)
    sweep = parts_sweep.view(conn, job_id)
    lines = [line for _, here, _ in sweep.regions for line in here if line.part.kind != "insulation"]
    order = {"out": 0, "cannot say": 1, "near": 2, "blank": 3, "in": 4}
    lines.sort(key=lambda line: order[line.verdict.state])
    cans = dict.fromkeys(line.part.can for line in lines if line.part.can)
    choices = [(f"{WHOLE_CAN}{can}", f"{can}, the whole can", "") for can in cans]
    choices += [
        (f"{OUT_IN}{region}", f"all {len(parts)} that are out, {region}: {', '.join(p.id for p in parts)}", "out")
        for region, parts in _out_by_region(sweep).items()
    ]
    choices += [(line.part.id, line.part.name, line.verdict.state) for line in lines]
    made = of_job(conn, job_id)
    parts = {line.part.id: line.part for line in lines}
    values = {r.id: _shown(parts.get(r.part), r.value) for r in made}
    cautions = cautions_for(safety_class=sweep.model.safety_class, hazards=HAZARDS)
    left = overruled(made, cans=cans_of(list(parts.values())))
    several = any(value.startswith((WHOLE_CAN, OUT_IN)) for value, _, _ in choices)
    found, on = _faults(conn, job_id, sweep, made), power_of(conn, job_id).state == "on"
    return RepairsView(
        job,
        made,
        untested(made),
        shared_credit(made) + left,
        choices,
        values,
        on,
        usual_test(conn, job_id),
        cautions,
        [(r.point.id, r.point.name) for r in safe_start.view(conn, job_id).rails],
        several,
        found,
    )


def _faults(conn: sqlite3.Connection, job_id: int, sweep: parts_sweep.SweepView, made: Sequence[Repair]) -> list[Fault]:
    """The faults of a set in the order in which they were found, each open until its own retest."""
    parts = {line.part.id: line for _, here, _ in sweep.regions for line in here}
    out_at: dict[str, str] = {}
    for check in part_checks.part_checks(conn, job_id):
        line, value = parts.get(check.part), math.inf if check.value is None else check.value
        if line and judge_part(line.part, [Measured(value, bool(check.in_circuit), replaced=False)]).state == "out":
            out_at.setdefault(check.part, check.at_utc)
    return in_the_order_found(out_at, names={p: line.part.name for p, line in parts.items()}, repairs=made)


def cans_of(parts: Sequence[Part]) -> dict[str, list[str]]:
    """Return the cans of a set with their sections, insulation apart."""
    cans = dict.fromkeys(p.can for p in parts if p.can)
    return {can: [p.id for p in parts if p.can == can and p.kind != "insulation"] for can in cans}


def of_job(conn: sqlite3.Connection, job_id: int) -> list[Repair]:
    """Return the changes of a job with their quick tests; one after several changes stands with the last of them."""
    tests = {t.repair_id: QuickTest(t.outcome, t.words, t.at_utc) for t in store.quick_tests_of_job(conn, job_id)}
    return [Repair(r.id, r.part, r.what, r.value, r.words, r.at_utc, tests.get(r.id)) for r in store.repairs_of_job(conn, job_id)]


def record(conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Meters | None = None) -> None:
    """Keep a change (part, what, value, words, looked_over), and open again what it makes stale; a practice set gets the new part.

    Raises NotFound, FieldsRefused with a sentence per field, InstrumentError; nothing is kept then.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    chosen = form.get("part", "")
    parts = _chosen(list(model.parts), chosen)
    if chosen.startswith(OUT_IN):
        parts = _out_by_region(parts_sweep.view(conn, job_id)).get(chosen.removeprefix(OUT_IN), [])
    slips = Slips(form)
    what, faults = form.get("what", ""), slips.faults
    value: float | None = None
    if not parts:
        faults["part"] = "Choose the part that was changed."
    if what not in KINDS:
        faults["what"] = f"Choose what was done: {', '.join(KINDS)}."
    if parts and what == "replaced":
        try:
            text = form.get("value", "").strip()
            value = parse_si(text, unit=UNITS[parts[0].kind]) if text else parts[0].nominal
            slips.beside("value", value, drawn=parts[0].nominal, unit=UNITS[parts[0].kind])
        except NotUnderstood as fault:
            faults["value"] = str(fault)
        if value is not None and value <= 0:
            faults["value"] = "A part has a value above zero."
    said = {d: form.get(d.name, "").strip()[:60] for d in DETAILS.get(what, ())}
    missing = [d for d, text in said.items() if not text or (d.choices and text not in d.choices)]
    faults |= {d.name: f"{d.label}: it cannot be found out afterwards." for d in missing}
    if form.get("looked_over") != "yes":
        faults["looked_over"] = "Look it over first: no clippings, no globs of solder, leads clear of each other."
    if live := why_live(conn, job_id):
        faults["part"] = live
    slips.refuse()
    if meters and meters.practice and what in UNDER_THE_IRON:
        for part in parts:
            meters.practice.fit(part.id, value if len(parts) == 1 and value else part.nominal)
    old = form.get("old_part", OLD_PART[0])
    words = "; ".join(
        filter(
            None,
            [
                *(f"{d.label[0].lower()}{d.label[1:]} {text}" for d, text in said.items()),
                f"old part {old}" if old in OLD_PART[1:] else "",
                form.get("words", "").strip(),
            ],
        )
    )
    at_utc = now_utc(conn)
    with transaction(conn):
        for part in parts:
            given = value if len(parts) == 1 else part.nominal if what == "replaced" else None
            keep(conn, job, part=part.id, what=what, value=given, words=words, at_utc=at_utc)


def made_since(conn: sqlite3.Connection, job_id: int, known: Container[int]) -> str:
    """Return how one says what was changed beside the changes that were known, by their numbers; empty where nothing was."""
    made = [r for r in store.repairs_of_job(conn, job_id) if r.id not in known]
    whats = {r.what: [m.part for m in made if m.what == r.what] for r in made}
    return "; ".join(f"{', '.join(parts)} {'was' if len(parts) == 1 else 'were'} {what}" for what, parts in whats.items())


def keep(
    conn: sqlite3.Connection,
    job: JobRow,
    *,
    part: str,
    what: str,
    value: float | None,
    words: str,
    at_utc: str,
    stage: str = "",
    said: str = "",
) -> None:
    """Keep one change and open the phases again that it puts in doubt. stage: where a part belongs that the dossier does not list; said:
    how one says what was done, where that is more than what.

    Within a transaction, and within `Workshop.mending`, which tells the runs in hand.
    """
    model = model_of_dossier(conn, job.dossier_id)
    store.add_repair(conn, job_id=job.id, part=part, what=what, value=value, words=words.strip()[:LONGEST_WORDS], at_utc=at_utc)
    stage = next((p.stage for p in model.parts if p.id == part), stage)
    done = {m.phase for m in shelf.phase_marks(conn, job.id).values() if m.state == "done"}
    # A cleaned or moved part has not been under the iron.
    change = Change("cleaned" if what in ("cleaned", "moved") else "mended", part, f"{part} was {said or what}", stage)
    open_again(conn, job.id, made_stale(model, [change], done=done), at_utc=at_utc)


def quick_test(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep the quick test after what was changed last (outcome, words; tested: on or cold, as the log of its power has it where nothing is
    said; rail and volts: a rail that was read with it, which goes into the log of the power-up). Raises NotFound, FieldsRefused.
    """
    job_of(conn, job_id)
    waiting = untested(of_job(conn, job_id))
    words = form.get("words", "").strip()[:LONGEST_WORDS]
    faults, tested = {}, form.get("tested") or usual_test(conn, job_id)
    if tested not in HOW_TESTED:
        faults["tested"] = f"Say how: {' or '.join(HOW_TESTED.values())}."
    elif against := why_live(conn, job_id) if tested == "cold" else why_silent(conn, job_id):
        faults["tested"] = against
    if form.get("outcome") not in OUTCOMES:
        faults["outcome"] = f"Choose what came of it: {', '.join(OUTCOMES)}."
    if not words:
        faults["words"] = "Write what was tried and what it showed: one figure says more than “fine”."
    if not waiting:
        faults["outcome"] = "Nothing is waiting for its test."
    if faults:
        raise FieldsRefused(faults)
    read = _rail_of(conn, job_id, form, tested)
    words = f"cold: {words}" if tested == "cold" else words
    at_utc = now_utc(conn)
    with transaction(conn):
        store.add_quick_test(conn, repair_id=waiting[-1].id, outcome=form["outcome"], words=words, at_utc=at_utc)
        if read:
            starts.add_entry(conn, job_id=job_id, kind="rail", detail=json.dumps(read), at_utc=at_utc)


def _rail_of(conn: sqlite3.Connection, job_id: int, form: Mapping[str, str], tested: str) -> dict[str, object]:
    """The rail that was read with a test, as the log keeps it; empty for none. Raises FieldsRefused."""
    text, rail_id = form.get("volts", "").strip(), form.get("rail", "")
    if not text:
        return {}
    slips = Slips(form)
    rail = next((r for r in safe_start.view(conn, job_id).rails if r.point.id == rail_id), None)
    volts = 0.0
    if tested == "cold":
        slips.faults["volts"] = "A rail is read with the set on: say that it was tested on."
    elif rail is None:
        slips.faults["rail"] = "Which rail?"
    else:
        try:
            volts = parse_si(text, unit="V")
            slips.beside("volts", volts, drawn=rail.point.expected_v, unit="V")
        except NotUnderstood as fault:
            slips.faults["volts"] = str(fault)
    slips.refuse()
    return {"point": rail_id, "v": volts}


def usual_test(conn: sqlite3.Connection, job_id: int) -> str:
    """Return how a change can be tested as the power stands: on or cold; empty where that is not known."""
    power = power_of(conn, job_id)
    return "cold" if power.state and not power.live else "on" if power.state == "on" and not power.behind else ""


def _out_by_region(sweep: parts_sweep.SweepView) -> dict[str, list[Part]]:
    """The parts of each region that were measured and are out, where there are several; insulation goes with its part."""
    found = {
        region: [line.part for line in lines if line.verdict.state == "out" and line.part.kind in parts_sweep.SLIPS and not line.part.can]
        for region, lines, _ in sweep.regions
    }
    return {region: parts for region, parts in found.items() if len(parts) >= WORTH_ONE_ACT}


def _chosen(parts: list[Part], name: str) -> list[Part]:
    if name.startswith(WHOLE_CAN):
        return [p for p in parts if p.can == name.removeprefix(WHOLE_CAN) and p.kind != "insulation"]
    return [p for p in parts if p.id == name]


def _shown(part: Part | None, value: float | None) -> str:
    return format_si(value, unit=UNITS[part.kind], digits=3) if part and value else ""
