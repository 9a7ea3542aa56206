"""The sweep of the parts of a job's set: typed value by value, judged at once."""

import math
import sqlite3
from dataclasses import dataclass

from calm_needle.core.parts_sweep import UNITS as UNIT_OF
from calm_needle.core.parts_sweep import Measured, Part, PartVerdict, SweepVerdict, Tally, judge_part, judge_sweep, shown, tally
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import part_checks
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.shelf import job_of, parts_of_job

OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")


@dataclass(frozen=True)
class PartLine:
    """One part as the page shows it."""

    part: Part
    marked: str
    last: str
    replaced: bool
    verdict: PartVerdict


@dataclass(frozen=True)
class SweepView:
    """All parts region by region, and what they say."""

    job: JobRow
    regions: list[tuple[str, list[PartLine], Tally]]
    whole: SweepVerdict
    counted: Tally


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
    return SweepView(job, regions, judge_sweep(parts, verdicts), tally(verdicts.values()))


def enter(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> PartLine:
    """Keep one value (part, value; in_circuit, replaced) and return its line. Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    parts = parts_of_job(conn, job)
    part = next((p for p in parts if p.id == form.get("part")), None)
    if part is None:
        raise NotFound("part", form.get("part", "")[:20])
    text = form.get("value", "").strip()
    value: float | None = None
    if text.lower() not in OPEN_WORDS:
        try:
            value = parse_si(text, unit=UNIT_OF[part.kind])
        except NotUnderstood as fault:
            raise FieldsRefused({"value": str(fault)}) from None
        if value < 0:
            raise FieldsRefused({"value": "A part has no value below zero; write “open” for one that is."})
    part_checks.add_part_check(
        conn,
        job_id=job_id,
        part=part.id,
        value=value,
        in_circuit=form.get("in_circuit") == "yes",
        replaced=form.get("replaced") == "yes",
        at_utc=now_utc(),
    )
    return next(line for line in _lines(conn, job_id, [part]) if line.part.id == part.id)


def _lines(conn: sqlite3.Connection, job_id: int, parts: list[Part]) -> list[PartLine]:
    checks: dict[str, list[Measured]] = {}
    for c in part_checks.part_checks(conn, job_id):
        value = math.inf if c.value is None else c.value
        checks.setdefault(c.part, []).append(Measured(value, bool(c.in_circuit), bool(c.replaced)))
    return [
        PartLine(
            part,
            format_si(part.nominal, unit=UNIT_OF[part.kind], digits=3),
            shown(part, checks[part.id][-1].value) if part.id in checks else "",
            any(m.replaced for m in checks.get(part.id, ())),
            judge_part(part, checks.get(part.id, ())),
        )
        for part in parts
    ]
