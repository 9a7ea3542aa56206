"""The sweep of the parts of a job's set: typed value by value, judged at once."""

import json
import math
import sqlite3
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Model
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.parts_sweep import (
    METER,
    Class,
    Measured,
    Part,
    Tally,
    beside,
    classes,
    judge_part,
    judge_sweep,
    shown,
    tally,
)
from calm_needle.core.soundness.parts_sweep import UNITS as UNIT_OF
from calm_needle.core.soundness.repairs import NEW, UNDER_THE_IRON
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import intake, part_checks, repairs
from calm_needle.store import revisions as revisions_store
from calm_needle.store.db import remembered, transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs import revisions
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, parts_of_job
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.power import why_live

SLIPS = ("resistor", "capacitor", "winding", "control")  # kinds of which a value is drawn, and not a limit
OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")
IN_CIRCUIT = "c"
MARKED = " m"
LEADS, LEAD_FIELDS = "leads", {"F": "open_f", "Ω": "short_ohm"}


@dataclass(frozen=True)
class PartLine:
    """One part as the page shows it. value: what counts of it, as last measured (SI; infinite for open); None for nothing."""

    part: Part
    marked: str
    last: str
    replaced: bool
    verdict: Verdict
    seen: int
    value: float | None = None


@dataclass(frozen=True)
class SweepView:
    """All parts region by region, and what they say."""

    job: JobRow
    model: Model
    regions: list[tuple[str, list[PartLine], Tally]]
    whole: Verdict
    counted: Tally
    cautions: list[Caution]
    classes: list[Class]
    beside: set[str]  # parts beside what was changed, or where earlier hands have been
    leads: dict[str, str]  # of the meter, as they were read last, by unit


@remembered
def view(conn: sqlite3.Connection, job_id: int) -> SweepView:
    """Return the sweep as it stands. Raises NotFound."""
    job = job_of(conn, job_id)
    parts = parts_of_job(conn, job)
    lines = _lines(conn, job_id, parts)
    verdicts = {line.part.id: line.verdict for line in lines}
    regions = []
    for region in dict.fromkeys(p.region for p in parts):
        here = [line for line in lines if line.part.region == region]
        regions.append((region, here, tally(line.verdict for line in here)))
    model = model_of_dossier(conn, job.dossier_id)
    cautions = cautions_for(safety_class=model.safety_class, hazards=("valve-out", "heavy", "old-dust", "unknown-stuff"))
    values = {line.part.id: line.value for line in lines if line.value is not None}
    touched = {r.part for r in repairs.repairs_of_job(conn, job_id)}
    places = [json.loads(e.detail)["place"] for e in intake.entries_of_job(conn, job_id) if e.kind == "earlier hands"]
    near = beside(parts, touched, places) if touched or places else set()
    return SweepView(
        job,
        model,
        regions,
        judge_sweep(parts, verdicts),
        tally(verdicts.values()),
        cautions,
        classes([line.part for line in lines], values, new={line.part.id for line in lines if line.replaced}),
        near,
        leads_of(conn, job_id),
    )


def enter(
    conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Callable[[], Meters] | None = None, *, earlier: bool = False
) -> PartLine:
    """Keep one value (part, value; in_circuit; sure-value: the one that was asked about) and return its line.

    earlier: it was read some other time, as a sheet has it, and whether the set is on now says nothing of it.
    With meters, an empty value asks them, one end of the part lifted; “c” asks them in circuit.
    Raises NotFound, FieldsRefused, JobMovedOn, InstrumentError.
    """
    job = job_of(conn, job_id)
    parts = parts_of_job(conn, job)
    part = next((p for p in parts if p.id == form.get("part")), None)
    if part is None:
        raise NotFound("part", form.get("part", "")[:20])
    revisions.check_number(part.id, revisions_store.last_part_checks(conn, job_id).get(part.id, 0), form)
    if not earlier and (live := why_live(conn, job_id)):
        raise FieldsRefused({"value": live})
    text, in_circuit = form.get("value", "").strip(), form.get("in_circuit") == "yes"
    marked: float | None = None
    leads = 0.0
    if meters and text.lower() in ("", IN_CIRCUIT):
        in_circuit = text.lower() == IN_CIRCUIT
        found = meters().part(part.id, kind=part.kind, in_circuit=in_circuit).value
        value = None if math.isinf(found) else found
    else:
        value, marked = _typed(part, text)
        leads = of_leads(conn, job_id, part.kind, value)
        if value is not None and part.kind in SLIPS:
            slips = Slips(form)
            slips.beside("value", value, drawn=part.nominal, unit=UNIT_OF[part.kind])
            slips.refuse()
    with transaction(conn):  # of two windows at the same moment one is told that the other was quicker
        revisions.check_number(part.id, revisions_store.last_part_checks(conn, job_id).get(part.id, 0), form)
        part_checks.add_part_check(
            conn,
            job_id=job_id,
            part=part.id,
            value=value,
            in_circuit=in_circuit,
            replaced=False,  # what was replaced stands in the log of changes
            at_utc=now_utc(conn),
            marked=marked,
            leads=leads,
        )
    return next(line for line in _lines(conn, job_id, [part]) if line.part.id == part.id)


def leads_of(conn: sqlite3.Connection, job_id: int) -> dict[str, str]:
    """Return what the meter's leads read by themselves, as it was typed last, by unit (F, Ω); empty where nobody read them."""
    out: dict[str, str] = {}
    for row in intake.entries_of_job(conn, job_id):
        if row.kind == LEADS:
            detail = json.loads(row.detail)
            out |= {unit: detail[name] for unit, name in LEAD_FIELDS.items() if detail.get(name)}
    return out


def of_leads(conn: sqlite3.Connection, job_id: int, kind: str, value: float | None) -> float:
    """Return what of a typed value (SI, None for open) of a kind of part is the leads': never more than the value itself."""
    unit = UNIT_OF[kind]
    typed = leads_of(conn, job_id).get(unit, "") if value is not None and kind in METER else ""
    return min(parse_si(typed, unit=unit), value) if typed and value is not None else 0.0


def read_value(text: str, *, kind: str) -> float | None:
    """Return what a meter shows of a part of a kind, as typed; None for open. Raises NotUnderstood."""
    return None if text.strip().lower() in OPEN_WORDS else parse_si(text, unit=UNIT_OF[kind])


def _typed(part: Part, text: str) -> tuple[float | None, float | None]:
    """What was typed: the value measured (None for open) and, after an m, the value printed on the part: “101 m100”."""
    measured, _, printed = text.partition(MARKED)
    try:
        marked = parse_si(printed, unit=UNIT_OF[part.kind]) if printed.strip() else None
        value = read_value(measured, kind=part.kind)
    except NotUnderstood as fault:
        raise FieldsRefused({"value": str(fault)}) from None
    if (value is not None and value < 0) or (marked is not None and marked <= 0):
        raise FieldsRefused({"value": "A part has no value below zero; write “open” for one that is."})
    return value, marked


def counted(conn: sqlite3.Connection, job_id: int, parts: Sequence[Part]) -> dict[str, list[tuple[Measured, str]]]:
    """Return what was measured of each part, and when, in order; what was measured before it was replaced or mended is left out: that
    a repair has done its work, only a reading says."""
    out: dict[str, list[tuple[Measured, str]]] = {}
    since = _new_since(conn, job_id, parts, whats=UNDER_THE_IRON)
    for c in part_checks.part_checks(conn, job_id):
        if c.after_repair >= since.get(c.part, 0):
            value = math.inf if c.value is None else c.value - c.leads
            out.setdefault(c.part, []).append((Measured(value, bool(c.in_circuit), bool(c.replaced), c.marked, c.leads), c.at_utc))
    return out


def _new_since(conn: sqlite3.Connection, job_id: int, parts: Sequence[Part], *, whats: Collection[str] = NEW) -> dict[str, int]:
    """The change by which each part, or the one whose insulation it is, was last replaced; 0 for one that never was."""
    new = {r.part: r.id for r in repairs.repairs_of_job(conn, job_id) if r.what in whats}
    return {p.id: max(new.get(p.id, 0), new.get(p.of, 0)) for p in parts}


def as_fitted(conn: sqlite3.Connection, job_id: int, parts: Sequence[Part]) -> list[Part]:
    """Return the parts as they are fitted now: what was replaced is no longer of the weak kind that was drawn."""
    since = _new_since(conn, job_id, parts)
    return [part._replace(weak=part.weak and not since[part.id]) for part in parts]


def _lines(conn: sqlite3.Connection, job_id: int, parts: list[Part]) -> list[PartLine]:
    last = revisions_store.last_part_checks(conn, job_id)
    since = _new_since(conn, job_id, parts)
    checks = {part: [m for m, _ in seen] for part, seen in counted(conn, job_id, parts).items()}
    return [
        PartLine(
            part,
            format_si(part.nominal, unit=UNIT_OF[part.kind], digits=3),
            shown(part, checks[part.id][-1].value + checks[part.id][-1].leads) if part.id in checks else "",
            bool(since[part.id]) or any(m.replaced for m in checks.get(part.id, ())),
            judge_part(part, checks.get(part.id, ())),
            last.get(part.id, 0),
            checks[part.id][-1].value if part.id in checks else None,
        )
        for part in as_fitted(conn, job_id, parts)
    ]
