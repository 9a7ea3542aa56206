"""What a meter reads for guided work: of the part or its sister, its core where it is wanted; every reading is kept as it was taken."""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Adjuster
from calm_needle.core.physics import coils, dip_scan
from calm_needle.core.pictures import Picture
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.guided.piece import READ_COLD, Ask, Meter, Stage, show
from calm_needle.core.soundness.guided.sisters import ELSEWHERE
from calm_needle.errors import FieldsRefused, InstrumentRefused, NotFound, NotUnderstood
from calm_needle.store import guided as store
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.core_places import core_at, travel_percent
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import model_of_dossier
from calm_needle.work.soundness import guided
from calm_needle.work.soundness.power import why_live


@dataclass(frozen=True)
class Measured:
    """What a meter found for an ask: as it would be typed, and for a scan what it shows, in words and drawn, with its points (JSON)."""

    typed: str
    sentence: str = ""
    picture: Picture | None = None
    points: str | None = None


class _Asked(NamedTuple):
    meters: Meters
    ask: Ask
    part: str
    core: Adjuster | None
    if_hz: float
    held: float  # what was typed of the ask that it hangs on, in its unit


def measure(conn: sqlite3.Connection, job_id: int, work_id: int, form: dict[str, str], meters: Meters) -> Measured:
    """Read by its meter what a stage asks (stage, read, and what else was typed), of the subject or its sister, and keep the reading.

    Raises NotFound, FieldsRefused, InstrumentError.
    """
    job, row, piece = guided.find(conn, job_id, work_id)
    stage = piece.stage(form.get("stage", ""))
    ask = next((a for a in stage.asks if a.name == form.get("read")), None) if stage else None
    if ask is None or ask.meter is None or stage is None:
        raise NotFound("thing a meter can read", form.get("read", "")[:30])
    if ask.meter in READ_COLD and (live := why_live(conn, job_id)):
        raise FieldsRefused({ask.name: live})
    part = row.sister if ask.of == "sister" else row.subject
    if part == ELSEWHERE:
        raise FieldsRefused({ask.name: "The sister is not in this set: read it where it is, and type what it has."})
    model = model_of_dossier(conn, job.dossier_id)
    core = model.core_of(part)
    with core_at(meters, core, ask.core):
        found = _READ[ask.meter](_Asked(meters, ask, part, core, model.if_hz, _held(ask, stage, form)))
    store.add_reading(
        conn,
        work_id=work_id,
        stage=stage.name,
        ask=ask.name,
        part=part,
        typed=found.typed,
        sentence=found.sentence,
        points=found.points,
        at_utc=now_utc(conn),
    )
    return found


def _ohm(a: _Asked) -> Measured:
    return Measured(show(a.ask, a.meters.part(a.part, kind="winding", in_circuit=False).value))


def _henry(a: _Asked) -> Measured:
    return Measured(show(a.ask, a.meters.henries(a.part).value))


def _farad(a: _Asked) -> Measured:
    return Measured(show(a.ask, a.meters.farads(a.part).value))


def _travel(a: _Asked) -> Measured:
    if a.core is None:
        raise FieldsRefused({a.ask.name: "The dossier names no core for it: judge it by eye."})
    return Measured(show(a.ask, float(round(travel_percent(a.meters, a.core)))))


def _scan(a: _Asked) -> Measured:
    scan = soundings.scan(a.meters, a.part, centre_hz=a.if_hz, held_f=a.held)
    found = coils.dip(f_hz=scan.frequencies_hz, v=scan.volts)
    low, high = (format_si(f, unit="Hz", digits=3) for f in (scan.frequencies_hz[0], scan.frequencies_hz[-1]))
    words = f"From {low} to {high}: {found.verdict}"
    drawn = dip_scan.picture(f_hz=scan.frequencies_hz, v=scan.volts, f0_hz=found.f0_hz)
    points = json.dumps({"f_hz": scan.frequencies_hz, "v": scan.volts, "f0_hz": found.f0_hz})
    if not found.seen:
        if a.ask.meter == "resonance":
            raise FieldsRefused({a.ask.name: f"{words}. There is no frequency to write down."})
        return Measured(show(a.ask, 0.0), f"{words}.", drawn, points)
    words += f", {found.depth_db:.1f} dB deep at {format_si(found.f0_hz, unit='Hz', digits=4)}"
    if found.q > 0:
        words += f", {format_si(found.width_hz, unit='Hz', digits=3)} wide at −3 dB, Q about {found.q:.0f}"
    value = found.f0_hz if a.ask.meter == "resonance" else round(found.depth_db, 1)
    return Measured(show(a.ask, value), f"{words}.", drawn, points)


def _of_the_former(a: _Asked) -> Measured:
    """What a calliper finds of a practice set's winding, and an ohmmeter of its wire."""
    if a.meters.practice is None:
        raise FieldsRefused({a.ask.name: "No instrument on the bench reads that: take a calliper, or a length of the wire, and type it."})
    try:
        former = a.meters.practice.former(a.part)
    except InstrumentRefused:
        raise FieldsRefused({a.ask.name: "Nobody has measured the former of this practice set’s winding: type its figures."}) from None
    values = {
        "wire": former.ohm_a_metre * a.held,
        "mean diameter": former.mean_diameter_m,
        "width": former.width_m,
        "depth": former.depth_m,
    }
    return Measured(show(a.ask, values[str(a.ask.meter)]))


_READ: dict[Meter, Callable[[_Asked], Measured]] = {
    "ohm": _ohm,
    "henry": _henry,
    "farad": _farad,
    "travel": _travel,
    "dip": _scan,
    "resonance": _scan,
    "wire": _of_the_former,
    "mean diameter": _of_the_former,
    "width": _of_the_former,
    "depth": _of_the_former,
}


def _held(ask: Ask, stage: Stage, form: dict[str, str]) -> float:
    """What was typed beside it, of the ask that it hangs on: a capacitor held across, a length of wire; 0 where it hangs on none."""
    if not ask.held:
        return 0.0
    beside = next(a for a in stage.asks if a.name == ask.held)
    try:
        value = parse_si(form.get(beside.name, ""), unit=beside.unit or "")
    except NotUnderstood:
        value = 0.0
    if value <= 0:
        raise FieldsRefused({beside.name: f"{beside.label}: say which, before this is read."})
    return value
