"""The dossier that is one set's own: its model's, with what was fitted in this set, or found to be otherwise."""

import hashlib
import json
import sqlite3
from typing import Any, NamedTuple

from calm_needle.core.dossier.amend import with_expected, with_padder_adjustable, with_part
from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.sketch import key_of
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.procedure.dial.words import trimmer_words
from calm_needle.core.procedure.stale import Change, made_stale
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.files.dossiers import fragment_faults, load_dossier
from calm_needle.store import part_checks, shelf
from calm_needle.store import repairs as repair_store
from calm_needle.store.db import transaction
from calm_needle.work.bench.run_book import open_again
from calm_needle.work.clock import now_utc
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness import parts_sweep
from calm_needle.work.soundness.power import power_of

# What a part is by the letter of its name; what such parts are usually made to, where nothing is printed (%).
KIND_OF = {"R": "resistor", "C": "capacitor", "L": "winding", "T": "winding", "V": "control", "P": "control"}
USUAL_PERCENT = {"resistor": 20.0, "capacitor": 20.0, "winding": 15.0, "control": 30.0}


# From where a figure is known that the dossier does not give.
SOURCES = ("own papers", "a sister model’s papers", "worked out", "usual for the class")
MOST_VOLTS = 2000.0


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
    """Return the rails of which nobody has said yet what should stand there, and those of which it was said here: id and name."""
    return [
        (str(p["id"]), str(p["name"]))
        for stage in model.raw["stages"]
        if stage["kind"] == "power"
        for p in stage["test_points"]
        if not p.get("expected_v") or "from" in p
    ]


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
    data = with_expected(_data(conn, job.dossier_id), point=form["point"], expected_v=volts, source=form["source"])
    with transaction(conn):
        keep_own(conn, job, data, at_utc=now_utc())


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
    if power_of(conn, job_id).state == "on":
        faults["looked_over"] = "The start’s log says that the set is on. Switch it off, bleed it and prove it, then put the iron to it."
    if faults:
        raise FieldsRefused(faults)
    data = with_padder_adjustable(_data(conn, job.dossier_id), band_id=band_id, seized=seized)
    stage, at_utc = model.oscillator_stage() or "", now_utc()
    done = {m.phase for m in shelf.phase_marks(conn, job.id).values() if m.state == "done"}
    change = Change("mended", offer.padder, f"{offer.padder} was made adjustable", stage)
    with transaction(conn):
        keep_own(conn, job, data, at_utc=at_utc)
        repair_store.add_repair(
            conn, job_id=job.id, part=offer.padder, what="replaced", value=band.drawn.padder_f, words=offer.by, at_utc=at_utc
        )
        open_again(conn, job.id, made_stale(model, [change], done=done), at_utc=at_utc)


def add_part(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> str:
    """Keep a part that the dossier does not list, as one says it: «R7 470k», or «R7 470k 735k» where it was measured too, and the region
    where it was found; return its id.

    Its value is the one that is printed on it. Raises NotFound, FieldsRefused; nothing is kept then.
    """
    job = job_of(conn, job_id)
    said = form.get("part", "").split()
    region = form.get("region", "").strip()[:60] or "not said where"
    if not 2 <= len(said) <= 3:
        raise FieldsRefused({"part": "Write its name, the value printed on it, and what the meter shows if you know: R7 470k 735k."})
    name, printed, *measured = said
    kind = KIND_OF.get(name[:1].upper())
    if kind is None:
        raise FieldsRefused({"part": f"“{name[:20]}” begins with none of R, C, L, T, VR: say what it is by its letter, as diagrams do."})
    try:
        nominal = parse_si(printed, unit=UNITS[kind])
    except NotUnderstood as fault:
        raise FieldsRefused({"part": str(fault)}) from None
    usual = {"tolerance_percent": USUAL_PERCENT[kind], "region": region, "from": "read off the part"}
    part = {"id": name, "kind": kind, "nominal": nominal, **usual}
    if faults := fragment_faults("part", part):
        raise FieldsRefused({"part": "; ".join(f"{f.path}: {f.sentence}" for f in faults)})
    try:
        data = with_part(_data(conn, job.dossier_id), part)
        value = parts_sweep.read_value(measured[0], kind=kind) if measured else None
    except (ValueError, NotUnderstood) as fault:
        raise FieldsRefused({"part": str(fault)}) from None
    with transaction(conn):
        _keep(conn, job, data, at_utc=now_utc())
        if measured:
            part_checks.add_part_check(conn, job_id=job_id, part=name, value=value, in_circuit=False, replaced=False, at_utc=now_utc())
    return name


def keep_own(conn: sqlite3.Connection, job: shelf.JobRow, data: dict[str, Any], *, at_utc: str) -> int:
    """Keep a dossier as a job's set's own, and return its id. Raises FileRefused with every fault. Within a transaction."""
    load_dossier(json.dumps(data, ensure_ascii=False).encode(), name=f"{job.model_key}.json")
    return _keep(conn, job, data, at_utc=at_utc)


def has_own(conn: sqlite3.Connection, job: shelf.JobRow) -> bool:
    """Whether a job's set has a dossier of its own."""
    return shelf.own_dossier(conn, job.set_id) is not None


def own_text(conn: sqlite3.Connection, job_id: int) -> tuple[str, str]:
    """Return the name and the text of the dossier that a job's set has, as the file that is given to others. Raises NotFound."""
    job = job_of(conn, job_id)
    return f"{job.model_key}-{key_of(job.serial) or job.set_id}.json", (shelf.dossier_content(conn, job.dossier_id) or "{}") + "\n"


def _keep(conn: sqlite3.Connection, job: shelf.JobRow, data: dict[str, Any], *, at_utc: str) -> int:
    """Keep what is known to be right."""
    text = json.dumps(data, ensure_ascii=False, indent=2)
    sha256 = hashlib.sha256(text.encode()).hexdigest()
    return shelf.add_own_dossier(conn, set_id=job.set_id, model_id=job.model_id, content=text, sha256=sha256, at_utc=at_utc)


def _data(conn: sqlite3.Connection, dossier_id: int) -> dict[str, Any]:
    return dict(json.loads(shelf.dossier_content(conn, dossier_id) or "{}"))
