"""The sweep of the parts of a job's set: typed value by value, judged at once."""

import math
import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from calm_needle.core.dossier.model import Model
from calm_needle.core.plausible import part_instead
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.parts_sweep import UNITS as UNIT_OF
from calm_needle.core.soundness.parts_sweep import Measured, Part, Tally, judge_part, judge_sweep, shown, tally
from calm_needle.core.soundness.repairs import NEW
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import part_checks, repairs
from calm_needle.store import revisions as revisions_store
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs import revisions
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, parts_of_job

SLIPS = ("resistor", "capacitor", "winding", "control")  # kinds of which a value is drawn, and not a limit
OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")
IN_CIRCUIT = "c"
MARKED = " m"


@dataclass(frozen=True)
class PartLine:
    """One part as the page shows it."""

    part: Part
    marked: str
    last: str
    replaced: bool
    verdict: Verdict
    seen: int


@dataclass(frozen=True)
class SweepView:
    """All parts region by region, and what they say."""

    job: JobRow
    model: Model
    regions: list[tuple[str, list[PartLine], Tally]]
    whole: Verdict
    counted: Tally
    cautions: list[Caution]


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
    cautions = cautions_for(safety_class=model.safety_class, hazards=("valve-out", "unknown-stuff"))
    return SweepView(job, model, regions, judge_sweep(parts, verdicts), tally(verdicts.values()), cautions)


def enter(conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Callable[[], Meters] | None = None) -> PartLine:
    """Keep one value (part, value; in_circuit; sure: the value that was asked about) and return its line. Raises NotFound, FieldsRefused,
    JobMovedOn, InstrumentError.

    With meters, an empty value asks them, one end of the part lifted; “c” asks them in circuit.
    """
    job = job_of(conn, job_id)
    parts = parts_of_job(conn, job)
    part = next((p for p in parts if p.id == form.get("part")), None)
    if part is None:
        raise NotFound("part", form.get("part", "")[:20])
    revisions.check_number(part.id, revisions_store.last_part_checks(conn, job_id).get(part.id, 0), form)
    text, in_circuit = form.get("value", "").strip(), form.get("in_circuit") == "yes"
    marked: float | None = None
    if meters and text.lower() in ("", IN_CIRCUIT):
        in_circuit = text.lower() == IN_CIRCUIT
        found = meters().part(part.id, kind=part.kind, in_circuit=in_circuit).value
        value = None if math.isinf(found) else found
    else:
        value, marked = _typed(part, text)
        if form.get("sure") != text:
            _ask_about_a_slip(part, value)
    part_checks.add_part_check(
        conn,
        job_id=job_id,
        part=part.id,
        value=value,
        in_circuit=in_circuit,
        replaced=False,  # what was replaced stands in the log of changes
        at_utc=now_utc(),
        marked=marked,
    )
    return next(line for line in _lines(conn, job_id, [part]) if line.part.id == part.id)


def _ask_about_a_slip(part: Part, value: float | None) -> None:
    """Ask before a value is kept that is off by a thousand or a million: a prefix was forgotten, or the part is really so."""
    meant = part_instead(value, drawn=part.nominal) if value is not None and part.kind in SLIPS else None
    if value is not None and meant is not None:
        unit = UNIT_OF[part.kind]
        kept, likely = (format_si(v, unit=unit, digits=3) for v in (value, meant))
        raise FieldsRefused({"value": f"{kept}, or {likely}? Type it with its prefix; Enter once more keeps {kept} as it is."})


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
    """Return what was measured of each part, and when, in order; what was measured on a part that is no longer there is left out."""
    out: dict[str, list[tuple[Measured, str]]] = {}
    since = _new_since(conn, job_id, parts)
    for c in part_checks.part_checks(conn, job_id):
        if c.after_repair >= since.get(c.part, 0):
            value = math.inf if c.value is None else c.value
            out.setdefault(c.part, []).append((Measured(value, bool(c.in_circuit), bool(c.replaced), c.marked), c.at_utc))
    return out


def _new_since(conn: sqlite3.Connection, job_id: int, parts: Sequence[Part]) -> dict[str, int]:
    """The change by which each part, or the one whose insulation it is, was last replaced; 0 for one that never was."""
    new = {r.part: r.id for r in repairs.repairs_of_job(conn, job_id) if r.what in NEW}
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
            shown(part, checks[part.id][-1].value) if part.id in checks else "",
            bool(since[part.id]) or any(m.replaced for m in checks.get(part.id, ())),
            judge_part(part, checks.get(part.id, ())),
            last.get(part.id, 0),
        )
        for part in as_fitted(conn, job_id, parts)
    ]
