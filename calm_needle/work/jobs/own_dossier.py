"""The dossier that is one set's own: its model's, with what was fitted in this set, or found to be otherwise."""

import hashlib
import json
import math
import re
import sqlite3
from collections.abc import Callable
from functools import wraps
from typing import Any, Concatenate, NamedTuple, ParamSpec, TypeVar

from calm_needle.clock import now_utc
from calm_needle.core.dossier import amend
from calm_needle.core.dossier.amend import SOURCES, with_expected, with_padder_adjustable, with_part
from calm_needle.core.dossier.chassis_map import region_at
from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.sketch import key_of
from calm_needle.core.plausible import part_instead, question
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.procedure.dial.words import trimmer_words
from calm_needle.core.quantities import format_plain, format_si, parse_si
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.errors import FieldsRefused, JobMovedOn, NotFound, NotUnderstood
from calm_needle.files.dossiers import fragment_faults, load_dossier
from calm_needle.store import own_dossiers, part_checks, shelf
from calm_needle.store.db import transaction
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness import parts_sweep, repairs
from calm_needle.work.soundness.power import why_live

# What a part is by the letters its name begins with, the longest that fits; what such parts are usually made to, where nothing is printed.
KIND_OF = {"R": "resistor", "C": "capacitor", "L": "winding", "T": "winding", "IFT": "winding"}
KIND_OF |= dict.fromkeys(("V", "VR", "P"), "control")
USUAL_PERCENT = {"resistor": 20.0, "capacitor": 20.0, "winding": 15.0, "control": 30.0}


P = ParamSpec("P")
Value = TypeVar("Value")
VALVE = re.compile(r"V\d+[A-Za-z]?", re.IGNORECASE)
MOST_TRIES = 20  # of somebody who amends what others amend at the same moment
MOST_VOLTS = 2000.0
LONGEST_WORDS = 160
WITH_VOLTS = ("power", "RF amplifier", "mixer", "oscillator", "if amplifier")  # kinds of stage whose points have volts


class PadderOffer(NamedTuple):
    """A band's padder that could be made adjustable: what it is, by what, and adjusters of that oscillator that may have seized."""

    padder: str
    value: str
    by: str
    adjusters: list[tuple[str, str]]


def padder_offer(model: Model, band: DialBand) -> PadderOffer | None:
    """Return what fitting a trimmer in the padder's place takes; None where there is no padder, or one that turns already."""
    padder_f = band.drawn.padder_f
    if padder_f is None or "padder" in band.adjusters or not band.band.oscillator_tank.get("padder_f"):
        return None
    choices = [(a, model.adjuster(a).name) for a in band.adjusters.values()]
    return PadderOffer(band.parts.get("padder") or "padder", format_si(padder_f, unit="F", digits=3), trimmer_words(padder_f), choices)


def points_to_look_up(model: Model) -> list[tuple[str, str]]:
    """Return the test points of which nobody has said yet what should stand there, and those of which it was said here: id and name.

    Rails come first; points where a signal is fed in, and of which nothing else is known, are left out.
    """
    fed = {step.set_up.goes_in for group in model.groups for step in group.steps}
    found = [
        (stage["kind"] != "power", str(p["id"]), str(p["name"]))
        for stage in model.raw["stages"]
        for p in stage.get("test_points", ())
        if "from" in p or (not p.get("expected_v") and "injection" not in p and p["id"] not in fed and stage["kind"] in WITH_VOLTS)
    ]
    return [(point, name) for _, point, name in sorted(found, key=lambda f: f[0])]


def amending(work: Callable[Concatenate[sqlite3.Connection, int, P], Value]) -> Callable[Concatenate[sqlite3.Connection, int, P], Value]:
    """Work again from what the set has by then, where somebody else was quicker: of many that add to it, none is lost."""

    @wraps(work)
    def again(conn: sqlite3.Connection, job_id: int, /, *args: P.args, **kwargs: P.kwargs) -> Value:
        for _ in range(MOST_TRIES):
            try:
                return work(conn, job_id, *args, **kwargs)
            except JobMovedOn:
                if conn.in_transaction:  # what it would read again is what it has read
                    raise
        return work(conn, job_id, *args, **kwargs)

    return again


@amending
def expect(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep what should stand at a rail (point, expected, source), of which the dossier says nothing. Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    points = dict(points_to_look_up(model_of_dossier(conn, job.dossier_id)))
    faults: dict[str, str] = {}
    volts = 0.0
    if form.get("point") not in points:
        faults["point"] = "Choose one of the rails of which the dossier says nothing."
    if form.get("source") not in SOURCES:
        faults["source"] = "Say from where that is known."
    try:
        volts = parse_si(form.get("expected", ""), unit="V")
        if not 0.0 < abs(volts) <= MOST_VOLTS:
            faults["expected"] = f"A rail has between 0 and {MOST_VOLTS:.0f} V."
    except NotUnderstood as fault:
        faults["expected"] = str(fault)
    if faults:
        raise FieldsRefused(faults)
    data = with_expected(data_of(conn, job.dossier_id), point=form["point"], expected_v=volts, source=form["source"])
    with transaction(conn):
        keep_own(conn, job, data, words=f"{points[form['point']]} should be {format_si(volts, unit='V', digits=3)}", at_utc=now_utc(conn))


@amending
def add_point(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep a test point that was met while measuring (stage, name, volts if known, source). Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    faults: dict[str, str] = {}
    volts: float | None = None
    if text := form.get("volts", "").strip():
        try:
            volts = parse_si(text, unit="V")
        except NotUnderstood as fault:
            faults["volts"] = str(fault)
    if form.get("source") not in SOURCES:
        faults["source"] = "Say from where that is known."
    name = form.get("name", "").strip()[:60]
    data: dict[str, Any] = {}
    try:
        data = amend.with_test_point(
            data_of(conn, job.dossier_id), stage=form.get("stage", ""), name=name, expected_v=volts, source=form.get("source", "")
        )
    except KeyError:
        faults["stage"] = "Choose the stage it belongs to."
    except ValueError as fault:
        faults["name"] = str(fault)
    if faults:
        raise FieldsRefused(faults)
    with transaction(conn):
        keep_own(conn, job, data, words=f"test point {name}", at_utc=now_utc(conn))


@amending
def add_mark(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep a printed mark that was met while reading the dial (band, mark, mm where it was measured). Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    slips = Slips(form)
    faults, dial_hz, place = slips.faults, 0.0, None
    try:
        dial_hz = parse_si(form.get("mark", ""), unit="Hz")
    except NotUnderstood as fault:
        faults["mark"] = str(fault)
    if text := form.get("mm", "").strip():
        try:
            place = parse_si(text, unit="")
        except NotUnderstood as fault:
            faults["mm"] = str(fault)
    band = next((b for b in model_of_dossier(conn, job.dossier_id).bands if b.id == form.get("band")), None)
    if band:
        slips.within("mark", dial_hz, sensible=(band.f_low_hz, band.f_high_hz), unit="Hz")
    data: dict[str, Any] = {}
    try:
        data = amend.with_mark(data_of(conn, job.dossier_id), band_id=form.get("band", ""), dial_hz=dial_hz or 1.0, position_mm=place)
    except KeyError:
        faults["band"] = "Choose the band on whose scale it is."
    except ValueError as fault:
        faults.setdefault("mark", str(fault))
    slips.refuse()
    with transaction(conn):
        keep_own(conn, job, data, words=f"mark {format_si(dial_hz, unit='Hz', digits=4)} of {form['band']}", at_utc=now_utc(conn))


def add_adjuster(
    conn: sqlite3.Connection, job: shelf.JobRow, *, label: str, kind: str, side: str, at_mm: tuple[float, float], role: str
) -> None:
    """Keep an adjuster that no paper lists, with what it was found to do. Raises FieldsRefused; nothing is kept then."""
    data = data_of(conn, job.dossier_id)
    chosen = next((r for r in amend.roles(data) if r.words == role), None)
    if chosen is None:
        raise FieldsRefused({"role": "Choose what it does, or leave it open."})
    if kind not in amend.TRAVEL_TURNS:
        raise FieldsRefused({"kind": "A test point adjusts nothing: leave open what it does."})
    try:
        data = amend.with_adjuster(data, name=label, kind=kind, side=side, x_mm=at_mm[0], y_mm=at_mm[1], role=chosen)
        keep_own(conn, job, data, words=f"adjuster {label}: {role}", at_utc=now_utc(conn))
    except ValueError as fault:
        raise FieldsRefused({"own": str(fault)}) from None


@amending
def fit_padder_trimmer(conn: sqlite3.Connection, job_id: int, band_id: str, form: dict[str, str]) -> None:
    """Keep that a band's padder was replaced by one that can be set (seized, looked_over), and open again what that makes stale.

    Raises NotFound, FieldsRefused while the set is on, or nobody looked it over; nothing is kept then.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    band = dial_bands(model).get(band_id)
    offer = padder_offer(model, band) if band else None
    if band is None or offer is None:
        raise NotFound("fixed padder of band", band_id[:30])
    seized, faults = form.get("seized", ""), {}
    if seized and seized not in dict(offer.adjusters):
        faults["seized"] = "Choose one of this band’s adjusters, or none."
    if form.get("looked_over") != "yes":
        faults["looked_over"] = "Look it over first: no clippings, leads as short as the old one’s, nothing that can touch."
    if live := why_live(conn, job_id):
        faults["looked_over"] = f"{live} {faults.get('looked_over', '')}".strip()
    if faults:
        raise FieldsRefused(faults)
    data = with_padder_adjustable(data_of(conn, job.dossier_id), band_id=band_id, seized=seized)
    stage, at_utc, farads = model.oscillator_stage() or "", now_utc(conn), band.drawn.padder_f
    with transaction(conn):
        keep_own(conn, job, data, words=f"{offer.padder} made adjustable", at_utc=at_utc)
        done = {"part": offer.padder, "what": "replaced", "said": "made adjustable", "words": offer.by}
        repairs.keep(conn, job, **done, value=farads, at_utc=at_utc, stage=stage)


@amending
def add_part(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> str:
    """Keep a part that the dossier does not list, as one says it: «R7 470k», or «R7 470k 735k» where it was measured too, and the region
    where it was found, or the place that was pointed at (x_mm, y_mm); return its id.

    Its value is the one that is printed on it. Raises NotFound, FieldsRefused; nothing is kept then.
    """
    job = job_of(conn, job_id)
    said = form.get("part", "").split()
    region = _pointed_at(conn, job, form) or form.get("region", "").strip()[:60] or "not said where"
    if not 2 <= len(said) <= 3:
        raise FieldsRefused({"part": "Write its name, the value printed on it, and what the meter shows if you know: R7 470k 735k."})
    name, printed, *measured = said
    if measured and (live := why_live(conn, job_id)):
        raise FieldsRefused({"part": live})
    if VALVE.fullmatch(name):
        raise FieldsRefused({"part": f"{name} is a valve, and “{printed[:20]}” its type: no meter reads that. A control is VR1 or P1."})
    kind = next((KIND_OF[n] for n in sorted(KIND_OF, key=len, reverse=True) if name.upper().startswith(n)), None)
    if kind is None:
        raise FieldsRefused({"part": f"“{name[:20]}” begins with none of R, C, L, T, IFT, VR: say what it is, as diagrams do."})
    try:
        nominal = parse_si(printed, unit=UNITS[kind])
    except NotUnderstood as fault:
        raise FieldsRefused({"part": str(fault)}) from None
    usual = {"tolerance_percent": USUAL_PERCENT[kind], "region": region, "from": "read off the part"}
    part = {"id": name, "kind": kind, "nominal": nominal, **usual}
    if faults := fragment_faults("part", part):
        raise FieldsRefused({"part": "; ".join(f"{f.path}: {f.sentence}" for f in faults)})
    try:
        data = with_part(data_of(conn, job.dossier_id), part)
        value = parts_sweep.read_value(measured[0], kind=kind) if measured else None
    except (ValueError, NotUnderstood) as fault:
        raise FieldsRefused({"part": str(fault)}) from None
    _ask_about_measured(form, name, printed, nominal, value, kind)
    with transaction(conn):
        keep_checked(conn, job, data, words=f"part {name}", at_utc=now_utc(conn))
        if measured:
            part_checks.add_part_check(
                conn,
                job_id=job_id,
                part=name,
                value=value,
                in_circuit=False,
                replaced=False,
                at_utc=now_utc(conn),
                leads=parts_sweep.of_leads(conn, job_id, kind, value),
            )
    return name


def _ask_about_measured(form: dict[str, str], name: str, printed: str, nominal: float, value: float | None, kind: str) -> None:
    """Ask about what the meter is said to show where a prefix was probably forgotten: R3 470k 735."""
    meant = part_instead(value, drawn=nominal) if value and math.isfinite(value) else None
    if meant is None or value is None or form.get("sure-part", "").strip() == form.get("part", "").strip():
        return
    shown = "".join(format_plain(meant, unit=UNITS[kind]).split())
    raise FieldsRefused({"part": question(value, meant=meant, unit=UNITS[kind])}, meant={"part": f"{name} {printed} {shown}"})


def _pointed_at(conn: sqlite3.Connection, job: shelf.JobRow, form: dict[str, str]) -> str:
    """How one calls the place on the chassis that was pointed at; empty where none was. Raises FieldsRefused."""
    if not (form.get("x_mm", "").strip() or form.get("y_mm", "").strip()):
        return ""
    try:
        x_mm, y_mm = (parse_si(form.get(name, ""), unit="") for name in ("x_mm", "y_mm"))
    except NotUnderstood:
        raise FieldsRefused({"x_mm": "Point at the chassis, or type millimetres, both of them; or leave both empty."}) from None
    return region_at(model_of_dossier(conn, job.dossier_id), x_mm=x_mm, y_mm=y_mm)


def keep_own(
    conn: sqlite3.Connection, job: shelf.JobRow, data: dict[str, Any], *, words: str, at_utc: str, base_id: int | None = None
) -> int:
    """Keep a dossier as a job's set's own, as its next version, and return its id. words: what was done to it; base_id: the dossier of the
    model from which it now sets out, where that is another.

    Raises FileRefused with every fault. Within a transaction.
    """
    load_dossier(json.dumps(data, ensure_ascii=False).encode(), name=f"{job.model_key}.json")
    return keep_checked(conn, job, data, words=words, at_utc=at_utc, base_id=base_id)


def has_own(conn: sqlite3.Connection, job: shelf.JobRow) -> bool:
    """Whether a job's set has a dossier of its own."""
    return own_dossiers.current(conn, job.set_id) is not None


def own_text(conn: sqlite3.Connection, job_id: int) -> tuple[str, str]:
    """Return the name and the text of the dossier that a job's set has, as the file that is given to others. Raises NotFound."""
    job = job_of(conn, job_id)
    return f"{job.model_key}-{key_of(job.serial) or job.set_id}.json", (shelf.dossier_content(conn, job.dossier_id) or "{}") + "\n"


def keep_checked(
    conn: sqlite3.Connection, job: shelf.JobRow, data: dict[str, Any], *, words: str, at_utc: str, base_id: int | None = None
) -> int:
    """Keep what is known to be right, amended from the dossier that the job was read with. Raises JobMovedOn where the set has another
    since: what was kept meanwhile is not in the data.
    """
    now = shelf.job(conn, job.id)
    if now is None or now.dossier_id != job.dossier_id:
        raise JobMovedOn("the set’s own data")
    text = json.dumps(data, ensure_ascii=False, indent=2)
    return own_dossiers.add(
        conn,
        set_id=job.set_id,
        model_id=job.model_id,
        content=text,
        sha256=hashlib.sha256(text.encode()).hexdigest(),
        base_id=own_dossiers.base(conn, job.set_id) if base_id is None else base_id,
        words=words[:LONGEST_WORDS],
        at_utc=at_utc,
    )


def data_of(conn: sqlite3.Connection, dossier_id: int) -> dict[str, Any]:
    """Return the data of a dossier."""
    return dict(json.loads(shelf.dossier_content(conn, dossier_id) or "{}"))
