"""The bands of a job's set: heard, measured, and their aerial coils metered."""

import json
import math
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, cast

from calm_needle.clock import clock_of, now_utc
from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.physics.level_search import standard_output_v
from calm_needle.core.procedure.set_up import coupling_words
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.band_health import DUMMY_AERIAL, BandReadings, Heard, at_this_hour, judge_bands, judge_whole
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.entry_judges import NOISY_DB, noise_above_db
from calm_needle.core.soundness.repairs import UNDER_THE_IRON
from calm_needle.core.verdict import Verdict
from calm_needle.core.verification.measures import MEASURES, limit_of
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import band_checks, coverage, intake, repairs
from calm_needle.store.db import remembered, transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.power import why_live, why_silent

OPEN_WORDS = ("open", "ol", "o.l.", "inf", "∞")
LONGEST_COUPLING = 80
COIL_BY_HAND = "its coil is no part of the dossier: meter it by hand"
SENSIBLE_LEVEL_V = (5e-8, 0.5)  # of a generator at an aerial
NOT_REACHED = "not reached"
HEARD = ("off air", "generator", "level")  # what a band gives only at full power
AERIAL, USUAL_LOAD_OHM = "aerial", 3.0


@dataclass(frozen=True)
class BandLine:
    """One band as the page shows it."""

    band: Band
    readings: BandReadings
    verdict: Verdict
    level: str
    coil: str
    hour: str
    middle: str  # where on its dial it is heard
    coil_by_hand: str = ""  # why the instruments do not read its coil

    def seen(self, kind: str) -> str:
        """What the page shows of a note of a kind."""
        return (self.readings.oscillator or "") if kind == "oscillator" else self.readings.left_blank


@dataclass(frozen=True)
class BandsView:
    """The whole matrix, and what it says."""

    job: JobRow
    model: Model
    lines: list[BandLine]
    whole: Verdict
    coupling: str
    cautions: list[Caution]
    to_hear_again: bool  # all of it had passed, and something was changed since


@remembered
def view(conn: sqlite3.Connection, job_id: int, *, hour: int | None = None) -> BandsView:
    """Return what is known of every band; hour: the local one, now where none is given. Raises NotFound."""
    hour = clock_of(conn).utc().astimezone().hour if hour is None else hour
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    bands = model.bands
    book = {b.id: _stated_v(model, b) for b in bands}
    checks = band_checks.band_checks(conn, job_id)
    usual = usual_coupling(model)
    notes, runs_on, noise = band_checks.band_notes(conn, job_id), _oscillators(conn, job_id), _noise(conn, job_id)
    mended = {r.part: r.id for r in repairs.repairs_of_job(conn, job_id) if r.what in UNDER_THE_IRON}
    rows = [
        _readings(band, [c for c in checks if c.band == band.id], mended=mended)._replace(
            book_v=book.get(band.id),
            book_coupling=usual,
            left_blank=notes.get((band.id, "left blank"), ""),
            oscillator=cast(Heard | None, notes.get((band.id, "oscillator")) or runs_on.get(band.id)),
            noise_db=noise.get(band.name.lower(), noise.get(band.id.lower())),
        )
        for band in bands
    ]
    verdicts = judge_bands(rows)
    windings = {p.id for p in model.parts if p.kind == "winding"}
    lines = [
        BandLine(
            band,
            row,
            verdicts[band.name],
            "" if row.level_v is None else NOT_REACHED if math.isinf(row.level_v) else format_si(row.level_v, unit="V", digits=3),
            "" if row.coil_ohm is None else "open" if math.isinf(row.coil_ohm) else format_si(row.coil_ohm, unit="Ω", digits=3),
            at_this_hour(f_low_hz=band.f_low_hz, hour=hour) if row.off_air == "dead" and row.generator != "dead" else "",
            format_si(middle_of(band), unit="Hz", digits=3),
            "" if str(band.signal_tank.get("coil", "")) in windings or row.coil_ohm is not None else COIL_BY_HAND,
        )
        for band, row in zip(bands, rows, strict=True)
    ]
    couplings = [c.coupling for c in checks if c.coupling]
    checked = [e for e in intake.entries_of_job(conn, job_id) if e.kind == "cross-check"]
    whole = judge_whole(rows, verdicts, generator_proved=any(json.loads(e.detail)["result"] == "works" for e in checked))
    changed = [r for r in repairs.repairs_of_job(conn, job_id) if r.what in UNDER_THE_IRON]
    heard = [c.after_repair for c in checks if c.kind in ("generator", "level")]
    again = bool(whole.passed and changed and not any(after >= changed[-1].id for after in heard))
    if again:
        whole = Verdict("watch", f"{changed[-1].part} was {changed[-1].what} since: hear every band again, one repair can unmask a fault.")
    cautions = cautions_for(safety_class=model.safety_class, hazards=("loud",))
    return BandsView(job, model, lines, whole, couplings[-1] if couplings else usual, cautions, again)


def _oscillators(conn: sqlite3.Connection, job_id: int) -> dict[str, str]:
    """Whether the oscillator was seen to run on each band over which it was swept: dead where it ran nowhere."""
    out: dict[str, str] = {}
    for sweep in coverage.sweeps(conn, job_id):  # the newest first
        ran = {row.band: any(r.oscillator_hz > 0.0 for r in sweep if r.band == row.band) for row in sweep}
        out = {band: "alive" if alive else "dead" for band, alive in ran.items()} | out
    return out


def _noise(conn: sqlite3.Connection, job_id: int) -> dict[str, float]:
    """By how many decibels a source in the room was above the set's noise on each band, as last noted, where that is too much."""
    out: dict[str, float] = {}
    for entry in intake.entries_of_job(conn, job_id):
        if entry.kind == "room noise":
            detail = json.loads(entry.detail)
            more_db = noise_above_db(detail)
            out.pop(detail["band"].lower(), None)
            if more_db is not None and more_db >= NOISY_DB:
                out[detail["band"].lower()] = more_db
    return out


def keep(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep what was typed for the bands: off-air-ID, generator-ID, oscillator-ID, level-ID, coil-ID, why-ID, and one coupling.

    Whole or not at all. Raises NotFound, FieldsRefused.
    """
    job = job_of(conn, job_id)
    bands = model_of_dossier(conn, job.dossier_id).bands
    before = {line.band.id: line for line in view(conn, job_id).lines}
    coupling = form.get("coupling", "").strip()[:LONGEST_COUPLING]
    again = form.get("again") == "yes"  # heard once more after a change, and as before
    nominal = {p.id: p.nominal for p in model_of_dossier(conn, job.dossier_id).parts if p.kind == "winding"}
    slips = Slips(form)
    faults = slips.faults
    found: list[tuple[str, str, str | None, float | None]] = []
    dead = {band.id: form.get(f"generator-{band.id}", "") for band in bands}
    for band in bands:
        for kind in ("off air", "generator"):
            heard = form.get(f"{kind.replace(' ', '-')}-{band.id}", "")
            known = before[band.id].readings.off_air if kind == "off air" else before[band.id].readings.generator
            if heard in ("alive", "dead") and (heard != known or (again and kind == "generator")):
                found.append((band.id, kind, heard, None))
        for kind, unit, known_text in (("level", "V", before[band.id].level), ("coil", "Ω", before[band.id].coil)):
            name = f"{kind}-{band.id}"
            text = form.get(name, "").strip()
            if name in form and not text and known_text and dead.get(band.id) != "dead":
                faults[name] = f"{known_text} was read here, and emptying it takes nothing back. Read it again, or hear the band as dead."
            if not text or text == known_text:
                continue
            if kind == "coil" and text.lower() in OPEN_WORDS:
                found.append((band.id, kind, None, None))
                continue
            try:
                value = parse_si(text, unit=unit)
            except NotUnderstood as fault:
                faults[name] = str(fault)
                continue
            if value <= 0:
                faults[name] = "It must be above zero; write “open” for a coil that is." if kind == "coil" else "A level is above zero."
            else:
                drawn = nominal.get(str(band.signal_tank.get("coil", ""))) if kind == "coil" else None
                slips.beside(name, value, drawn=drawn, unit=unit)
                slips.within(name, value, sensible=SENSIBLE_LEVEL_V if kind == "level" else None, unit=unit)
                found.append((band.id, kind, None, value))
    for band_id in {b for b, kind, _, value in found if kind == "level" and value and dead[b] == "dead"}:
        faults[f"level-{band_id}"] = "It is marked as dead from the generator: a dead band has no level. Which of the two is it?"
    live, silent = why_live(conn, job_id), why_silent(conn, job_id)
    for band_id, kind, _, _ in found:
        if kind in HEARD:
            slips.was_on(f"{kind.replace(' ', '-')}-{band_id}", silent)
        elif live:
            faults.setdefault(f"{kind}-{band_id}", live)
    if any(kind == "level" for _, kind, _, _ in found) and not coupling:
        faults["coupling"] = "Say how the generator was coupled: levels are compared only where it was the same."
    slips.refuse()
    notes = band_checks.band_notes(conn, job_id)
    said = [
        (band.id, kind, form[name].strip()[:LONGEST_COUPLING])
        for band in bands
        for kind, name in (("left blank", f"why-{band.id}"), ("oscillator", f"oscillator-{band.id}"))
        if name in form and form[name].strip() != (notes.get((band.id, kind)) or "") and form[name].strip() != before[band.id].seen(kind)
    ]
    with transaction(conn):
        for band_id, kind, words in said:
            band_checks.add_band_note(conn, job_id=job_id, band=band_id, kind=kind, words=words, at_utc=now_utc(conn))
        for band_id, kind, heard_as, value_si in found:
            band_checks.add_band_check(
                conn,
                job_id=job_id,
                band=band_id,
                kind=kind,
                heard=heard_as,
                value=value_si,
                coupling=coupling if kind == "level" else "",
                at_utc=now_utc(conn),
            )


def read_coils(conn: sqlite3.Connection, job_id: int, meters: Meters) -> None:
    """Meter the aerial coil of every band whose dossier names it. Raises NotFound, FieldsRefused, InstrumentError; whole or not at all."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    parts = {p.id for p in model.parts if p.kind == "winding"}
    coils = [(band.id, str(band.signal_tank["coil"])) for band in model.bands if band.signal_tank.get("coil") in parts]
    if not coils:
        raise FieldsRefused({"coupling": "The dossier does not say which part the aerial coils are; meter them by hand."})
    if live := why_live(conn, job_id):
        raise FieldsRefused({"coupling": live})
    found = [(band, meters.part(coil, kind="winding", in_circuit=True).value) for band, coil in coils]
    with transaction(conn):
        for band, ohm in found:
            value = None if math.isinf(ohm) else ohm
            band_checks.add_band_check(
                conn, job_id=job_id, band=band, kind="coil", heard=None, value=value, coupling="", at_utc=now_utc(conn)
            )


def hear(conn: sqlite3.Connection, job_id: int, band_id: str, meters: Meters) -> None:
    """Have a band heard from the generator, and the level found that it needs for the standard output; whole or not at all.

    Raises NotFound, FieldsRefused, InstrumentError.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    band = next((b for b in model.bands if b.id == band_id), None)
    if band is None:
        raise NotFound("band", band_id[:30])
    if silent := why_silent(conn, job_id):
        raise FieldsRefused({"coupling": silent})
    point, wanted_v = at_the_aerial(model)
    heard = soundings.hear(meters, band, dial_hz=middle_of(band), point=point, wanted_v=wanted_v)
    with transaction(conn):
        said: Heard = "alive" if heard.alive else "dead"
        found: list[tuple[str, str | None, float | None, str]] = [("generator", said, None, "")]
        if heard.alive:  # a level of nothing: none gives the standard output
            found.append(("level", None, heard.level_v, usual_coupling(model)))
        for kind, word, value, coupling in found:
            band_checks.add_band_check(
                conn, job_id=job_id, band=band_id, kind=kind, heard=word, value=value, coupling=coupling, at_utc=now_utc(conn)
            )


def at_the_aerial(model: Model) -> tuple[str, float]:
    """Return where the generator goes in at the aerial, and the volts of the standard output of this set."""
    set_ups = [step.set_up for group in model.groups for step in group.steps]
    load_ohm = next((s.watched.load_ohm for s in set_ups if s.watched and s.watched.load_ohm), USUAL_LOAD_OHM)
    fed = model.at_the_aerial()
    return fed.goes_in if fed and fed.goes_in else AERIAL, standard_output_v(load_ohm)


def usual_coupling(model: Model) -> str:
    """Return how the papers couple a generator to the aerial: the dummy aerial where they say nothing."""
    fed = model.at_the_aerial()
    return coupling_words(fed.coupling).removeprefix("the ").removeprefix("a ") if fed and fed.coupling else DUMMY_AERIAL


def _stated_v(model: Model, band: Band) -> float | None:
    """The level (V) that the service data allow for the standard output in the middle of a band."""
    asked = {"definition": "standard-output", "band": band.id, "at_hz": middle_of(band)}
    limit = limit_of(MEASURES["sensitivity"], model.specifications, asked)
    return limit.most if limit else None


def middle_of(band: Band) -> float:
    """Return where a band is heard: its middle tracking point, or the geometric middle of its range (Hz)."""
    points = sorted(float(t["dial_hz"]) for t in band.tracking)
    return points[len(points) // 2] if len(points) > 2 else math.sqrt(band.f_low_hz * band.f_high_hz)


def _readings(band: Band, checks: list[band_checks.BandCheckRow], *, mended: Mapping[str, int]) -> BandReadings:
    """What counts of a band. mended: the last change under the iron of each part: a coil is read anew after it."""
    coil_since = mended.get(str(band.signal_tank.get("coil", "")), 0)
    last = {c.kind: c for c in checks if c.kind != "coil" or c.after_repair >= coil_since}
    at = {kind: checks.index(row) for kind, row in last.items()}
    if "level" in last and "generator" in last and last["generator"].heard == "dead" and at["generator"] > at["level"]:
        del last["level"]  # it was alive then

    def heard(kind: Literal["off air", "generator"]) -> Heard | None:
        return cast(Heard, last[kind].heard) if kind in last else None

    level, coil = last.get("level"), last.get("coil")
    ohm, level_v = (None if row is None else math.inf if row.value is None else row.value for row in (coil, level))
    return BandReadings(band.name, band.f_low_hz, heard("off air"), heard("generator"), level_v, level.coupling if level else "", ohm)
