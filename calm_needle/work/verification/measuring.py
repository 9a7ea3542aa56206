"""The verification of a job's set: what was measured by which definition, how it stands beside papers, before and neighbours."""

import json
import math
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.constants import K95
from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.form import Ask, read_form
from calm_needle.core.physics.superhet import frequency_plan
from calm_needle.core.pictures import Curves
from calm_needle.core.quantities import format_db, format_plain, format_si, parse_si
from calm_needle.core.soundness.cautions import Caution, cautions_for
from calm_needle.core.soundness.repairs import UNDER_THE_IRON
from calm_needle.core.verdict import Verdict
from calm_needle.core.verification.compare import compared
from calm_needle.core.verification.definitions import DEFINITIONS, DEPTH, MEASURED_FIRST, TONE_HZ, definition_named
from calm_needle.core.verification.frequency_pattern import Checked, pattern_of
from calm_needle.core.verification.frequency_pattern import Found as PatternFound
from calm_needle.core.verification.measures import (
    MEASURES,
    Figure,
    Limit,
    Measure,
    Uncertainty,
    judge,
    limit_of,
    uncertainty_of,
    with_digits,
)
from calm_needle.core.verification.neighbours import Needs, stands_out_db
from calm_needle.errors import CalmNeedleError, FieldsRefused, NoAnswer, NotFound, NotUnderstood
from calm_needle.files.curves_csv import write_curves
from calm_needle.files.traces import Trace, write_touchstone
from calm_needle.store import measurements as store
from calm_needle.store import repairs as repair_store
from calm_needle.store.db import remembered
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments import verifying
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.jobs.wishes import bands_as_wished
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.bands import SENSIBLE_LEVEL_V, at_the_aerial, middle_of, usual_coupling
from calm_needle.work.soundness.power import why_silent
from calm_needle.work.verification import instruments_register, turned

USUAL_LEVEL_V = 20e-6
BY_EYE_DB, BY_EAR_DB = 0.5, 6.0  # standard deviation of a level that a person found for an output that was read, and for what is just heard
BY_ANY = ""
LONGEST_REASON = 200
# Frequencies that lie on the band, and those that lie beside the nominal one: asked about where a prefix was forgotten.
ON_THE_BAND, BESIDE_NOMINAL = ("at_hz", "nominal_hz"), ("measured_hz", "lower_hz", "upper_hz")


@dataclass(frozen=True)
class Taken:
    """One measurement as pages and records show it. stale: why it no longer stands, empty where it does; against: beside the papers;
    as_came: whether nothing had been mended or turned in this job yet."""

    id: int
    measure: Measure
    band: str
    band_name: str
    values: Mapping[str, Any]
    conditions: Mapping[str, Any]
    figures: tuple[Figure, ...]
    sigma: float | None
    source: str
    cover: str
    at_utc: str
    stale: str
    struck: str
    limit: Limit | None
    against: Verdict
    as_came: bool

    @property
    def main(self) -> Figure:
        return self.figures[0]

    @property
    def definition(self) -> str:
        """The words of its definition, where it has one."""
        name = self.values.get("definition")
        return DEFINITIONS[name].words if name else ""

    @property
    def by_ear(self) -> bool:
        name = self.values.get("definition")
        return bool(name) and DEFINITIONS[str(name)].evidence == "by ear"

    @property
    def at_hz(self) -> float | None:
        return self.values.get("at_hz") or self.values.get("nominal_hz")

    @property
    def at(self) -> str:
        return format_si(self.at_hz, unit="Hz") if self.at_hz else ""

    @property
    def key(self) -> tuple[str, str, str, str]:
        """What makes two of them the same measurement, taken twice."""
        return self.measure.name, self.band, self.at, str(self.values.get("definition", ""))

    @property
    def unsure(self) -> str:
        """Its uncertainty (95 %) in words."""
        return self.sure.words(self.main.unit)

    @property
    def sure(self) -> Uncertainty:
        """Its uncertainty (95 %)."""
        return uncertainty_of(self.main, sigma=self.sigma, of_levels=bool(self.measure.routine))

    @property
    def curve(self) -> Curves | None:
        return self.measure.draws(self.values) if self.measure.draws else None

    @property
    def response(self) -> Trace | None:
        """A curve that is decibels over hertz, as a response by its own frequencies."""
        picture = self.curve
        if picture is None or (picture.x_unit, picture.y_unit) != ("Hz", "dB"):
            return None
        middle = (self.at_hz or 0.0) if "offsets_hz" in self.values else 0.0
        points = sorted(dict(picture.lines[0].points).items())
        return Trace([middle + x for x, _ in points], [y for _, y in points])

    @property
    def alike(self) -> dict[str, Any]:
        """What it is compared by."""
        return {**self.conditions, "cover": self.cover, "band": self.band, "at_hz": self.at_hz, "definition": self.values.get("definition")}


class Change(NamedTuple):
    """A figure beside an earlier one: by how much it changed, in words; or why the two are not compared."""

    words: str
    better: bool | None


@dataclass(frozen=True)
class SensitivityLine:
    """A band by one definition at one place: the first figure of this job, the last, the last with the covers on, what is to be said."""

    band: Band
    at_hz: float
    definition: str
    first: Taken | None
    last: Taken | None
    closed: Taken | None
    change: Change | None
    drift: Change | None  # of the closed one, from the last with the covers off
    stands_out: str
    limit: Limit | None


@dataclass(frozen=True)
class Series:
    """A kind of measurement with all that was taken, the newest first."""

    measure: Measure
    taken: list[Taken]


@dataclass(frozen=True)
class VerifyView:
    """The page. by_instruments: whether the bench can measure; places: where to measure, the ends of each band too, and of which band."""

    job: JobRow
    model: Model
    lines: list[SensitivityLine]
    others: list[Series]
    frequency: PatternFound
    checked: list[Taken]
    lacks: list[str]
    outside: list[str]
    to_close: list[Taken]
    definitions: list[tuple[str, str]]
    places: list[tuple[str, str]]
    coupling: str
    cautions: list[Caution]
    overdue: list[str]
    by_instruments: bool

    @property
    def open_places(self) -> list[str]:
        """Where a figure is stated and nothing was measured, band by band, in words."""
        at: dict[str, list[str]] = {}
        for line in self.lines:
            if line.last is None:
                at.setdefault(line.band.name, []).append(format_si(line.at_hz, unit="Hz"))
        return [f"{' and '.join(dict.fromkeys(places))} on {band}" for band, places in at.items()]


@remembered
def taken(conn: sqlite3.Connection, job_id: int) -> list[Taken]:
    """Return all measurements of a job in their order, those struck too. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    names = {b.id: b.name for b in model.bands}
    mended = [r for r in repair_store.repairs_of_job(conn, job_id) if r.what in UNDER_THE_IRON]
    turns = turned.turnings(conn, job_id)
    first_turned, first_mended = turns[0].act_id if turns else None, mended[0].id if mended else None
    out = []
    for row in store.of_job(conn, job_id):
        measure, values = MEASURES[row.kind], json.loads(row.measured)
        values.setdefault("band", row.band)
        figures = measure.figures(values)
        sure = uncertainty_of(figures[0], sigma=row.sigma, of_levels=bool(measure.routine))
        figures = with_digits(figures, sure)
        limit = limit_of(measure, model.specifications, values)
        later = next((r for r in mended if r.id > row.after_repair), None)
        stale = f"{later.part} was {later.what} since" if later else turned.turned_since(model, turns, row.band, row.after_act)
        out.append(
            Taken(
                row.id,
                measure,
                row.band,
                names.get(row.band, row.band),
                values,
                json.loads(row.conditions),
                figures,
                row.sigma,
                row.source,
                row.cover,
                row.at_utc,
                stale,
                row.struck or "",
                limit,
                judge(figures[0], limit, u95=sure.u95, in_db=sure.in_db),
                (first_mended is None or row.after_repair < first_mended) and (first_turned is None or row.after_act < first_turned),
            )
        )
    return out


def standing(conn: sqlite3.Connection, job_id: int) -> list[Taken]:
    """Return what stands: not struck, not stale, the last of each; what a record or a certificate may show."""
    last: dict[tuple[tuple[str, str, str, str], str], Taken] = {}
    for t in taken(conn, job_id):
        if not t.struck and not t.stale:
            last[t.key, t.cover] = t
    return list(last.values())


@remembered
def view(conn: sqlite3.Connection, job_id: int) -> VerifyView:
    """Return the verification as it stands. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    kept = [t for t in taken(conn, job_id) if not t.struck]
    lines = _lines(model, [t for t in kept if t.measure.name == "sensitivity"])
    others = [
        Series(m, [t for t in reversed(kept) if t.measure is m]) for m in MEASURES.values() if m.name not in ("sensitivity", "frequency")
    ]
    checked = [t for t in kept if t.measure.name == "frequency"]
    return VerifyView(
        job,
        model,
        lines,
        others,
        pattern(model, [t for t in checked if not t.stale]),
        checked,
        lacks(conn, job_id),
        outside(conn, job_id),
        to_close(conn, job_id),
        [(name, DEFINITIONS[name].words) for name in _the_papers_first(model) if DEFINITIONS[name].by_instruments],
        [(format_si(f, unit="Hz"), b.name) for b in model.bands for f in places_of(b)],
        usual_coupling(model),
        cautions_for(safety_class=model.safety_class, hazards=("loud", "soak")),
        [f"{line.name}, {line.quantity}: {line.sure.words}" for line in instruments_register.overdue(conn)],
        job.bench == "instruments",
    )


def places_of(band: Band) -> list[float]:
    """Return where a band is measured: at its ends, and at its tracking points or its middle; rising."""
    points = [float(t["dial_hz"]) for t in band.tracking] or [middle_of(band)]
    return sorted({band.f_low_hz, *points, band.f_high_hz})


def _lines(model: Model, found: Sequence[Taken]) -> list[SensitivityLine]:
    """What was measured, band by band and place by place, and a line for each place at which something is stated and nothing measured."""
    return [line for band in model.bands for line in sorted(_of_band(model, band, found), key=lambda line: line.at_hz)]


def _of_band(model: Model, band: Band, found: Sequence[Taken]) -> list[SensitivityLine]:
    keys = [k for k in dict.fromkeys(t.key for t in found) if k[1] == band.id]
    out = [_line(band, [t for t in found if t.key == key], found) for key in keys]
    stated, measured = _stated(model, band), {t.definition for t in found if t.band == band.id}
    out += [_blank(band, name, limit, at_hz=middle_of(band)) for name, limit in stated if DEFINITIONS[name].words not in measured]
    if not out:
        out.append(_blank(band, MEASURED_FIRST[0], None, at_hz=middle_of(band)))
    there = {(t.definition, t.at) for t in found if t.band == band.id}
    ends = [(end_hz, name, limit) for end_hz in (band.f_low_hz, band.f_high_hz) for name, limit in _stated(model, band, at_hz=end_hz)]
    return out + [
        _blank(band, name, limit, at_hz=end_hz)
        for end_hz, name, limit in ends
        if (name, limit) not in stated and (DEFINITIONS[name].words, format_si(end_hz, unit="Hz")) not in there
    ]


def _stated(model: Model, band: Band, *, at_hz: float | None = None) -> list[tuple[str, Limit]]:
    """By which definitions the papers state a band's sensitivity at a place, in its middle if None, and what they ask."""
    measure, place = MEASURES["sensitivity"], {"band": band.id, "at_hz": at_hz or middle_of(band)}
    asked = ((d, limit_of(measure, model.specifications, {"definition": d, **place})) for d in MEASURED_FIRST)
    return [(name, limit) for name, limit in asked if limit]


def _the_papers_first(model: Model) -> list[str]:
    """The definitions in the order in which they are offered: those by which the papers state what the set should do, then the others."""
    stated = {name for band in model.bands for name, _ in _stated(model, band)}
    return sorted(MEASURED_FIRST, key=lambda name: name not in stated)


def _line(band: Band, mine: Sequence[Taken], everything: Sequence[Taken]) -> SensitivityLine:
    last = mine[-1]
    closed = next((t for t in reversed(mine) if t.cover == "on" and not t.stale), None)
    first = mine[0] if len(mine) > 1 else None
    change = change_of(first, last) if first else None
    opened = next((t for t in reversed(mine) if t.cover == "off" and not t.stale), None)
    drift = change_of(opened, closed, but_for_covers=True) if opened and closed and opened.id < closed.id else None
    place = float(last.at_hz or middle_of(band))
    return SensitivityLine(band, place, last.definition, first, last, closed, change, drift, _stands_out(last, everything), last.limit)


def _blank(band: Band, name: str, limit: Limit | None, *, at_hz: float) -> SensitivityLine:
    return SensitivityLine(band, at_hz, DEFINITIONS[name].words, None, None, None, None, None, "", limit)


def change_of(first: Taken, last: Taken, *, but_for_covers: bool = False) -> Change:
    """Return how a figure changed, or why the two are not compared. but_for_covers: it is the covers that are asked about."""
    alike = compared({**first.alike, "cover": last.cover} if but_for_covers else first.alike, last.alike)
    if not alike.alike:
        return Change(f"not compared: {', '.join(alike.differs)}", None)
    a, b = first.main.value, last.main.value
    if a is None or b is None or a <= 0 or b <= 0:
        return Change("", None)
    if last.main.unit in ("V", "Hz", "%"):
        change_db = 20.0 * math.log10(b / a) if last.main.unit == "V" else None
        words = f"{format_db(change_db)}\u00a0dB" if change_db is not None else format_si(b - a, unit=last.main.unit, digits=2, signed=True)
    else:
        words = f"{format_db(b - a)}\u00a0{last.main.unit}"
    better = {"less": b < a, "more": b > a}.get(last.measure.better)
    return Change(words, better)


def _stands_out(one: Taken, everything: Sequence[Taken]) -> str:
    """Whether a band needs far more than its others, by the same definition, coupling and covers."""
    others: dict[str, Needs] = {}
    for t in everything:
        same = t.values.get("definition") == one.values.get("definition") and t.conditions.get("coupling") == one.conditions.get("coupling")
        if t.band != one.band and same and t.cover == one.cover and not t.stale and t.main.value:
            others[t.band] = _needs(t, t.main.value)
    more = stands_out_db(_needs(one, one.main.value), list(others.values())) if one.main.value else None
    if more is None:
        return ""
    beyond = ", what the service data expect of each taken off" if one.limit and one.limit.most else ""
    return f"{more:.0f}\u00a0dB more than the other bands need{beyond}: this one has a fault of its own"


def _needs(one: Taken, level_v: float) -> Needs:
    return Needs(level_v, one.limit.most if one.limit else None)


def pattern(model: Model, checked: Sequence[Taken]) -> PatternFound:
    """Return what a job's frequency checks have in common, and which other place would tell."""
    last = {(t.band, t.values["nominal_hz"]): t for t in checked}
    points = [Checked(t.band_name, t.values["nominal_hz"], t.values["measured_hz"], t.sigma or 0.0) for t in last.values()]
    ends = [f for b in model.bands for f in (b.f_low_hz, b.f_high_hz)]
    return pattern_of(points, reachable_hz=ends)


def measure_it(conn: sqlite3.Connection, job_id: int, name: str, form: Mapping[str, str], meters: Meters) -> int:
    """Have the instruments measure (band, at, definition, cover), keep it, and return its id.

    Raises NotFound, FieldsRefused, InstrumentError; nothing is kept then.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    measure = _measure(name)
    if not measure.routine:
        raise FieldsRefused({"value": f"{measure.title} is read by hand: write down what was read."})
    band = next((b for b in model.bands if b.id == form.get("band")), None) or (model.bands[0] if measure.per == "set" else None)
    if band is None:
        raise NotFound("band", form.get("band", "")[:30])
    if silent := why_silent(conn, job_id):
        raise FieldsRefused({"value": silent})
    definition = definition_named(form.get("definition") or MEASURED_FIRST[0])
    if not definition.by_instruments:
        raise FieldsRefused({"value": f"“{definition.words}” is heard or seen, and typed."})
    at_hz = _at(form, band)
    unsaid: dict[str, str] = {}
    cover = cover_said(form, unsaid)
    if unsaid:
        raise FieldsRefused(unsaid)
    point, standard_v = at_the_aerial(model)
    asked = verifying.Asked(band, at_hz, point, standard_v, definition, _image_hz(band, at_hz), band.if_hz, model.output_point())
    try:
        found = verifying.measure(meters, measure.routine, asked, cover=cover)
    except NoAnswer as fault:
        raise FieldsRefused({"value": str(fault)}) from None
    values = {**found.values, **({"definition": definition.name} if name == "sensitivity" else {})}
    level = instruments_register.sure(conn, instrument="generator", quantity="level")
    ratio = name in ("image", "if-ratio", "selectivity", "gain-control", "audio")
    sigma = found.sigma if found.sigma is None or ratio else math.hypot(found.sigma, level.sigma)
    conditions = {
        "coupling": usual_coupling(model),
        "goes_in": point,
        "depth": DEPTH,
        "tone_hz": TONE_HZ,
        "instruments": [meters.generator.name, "a.c. millivoltmeter"],
        "level": level.words,
        "simulated": bool(meters.practice),
    }
    return _keep(conn, job_id, name, band.id if measure.per == "band" else "", values, conditions, sigma, "instruments", cover)


def write_down(
    conn: sqlite3.Connection,
    job_id: int,
    name: str,
    form: dict[str, str],
    *,
    sigma: float | None = None,
    source: Literal["by hand", "recording"] = "by hand",
    heard: Mapping[str, float] | None = None,
) -> int:
    """Keep what a person measured by hand (band, the asks of the measure, coupling, cover), and return its id.

    sigma, source, heard: of one that was worked out from a recording.
    Raises NotFound, FieldsRefused with every fault; nothing is kept then.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    measure = _measure(name)
    typed = read_form(measure.asks, form)
    slips = Slips(form)
    faults = slips.faults
    faults |= typed.faults
    slips.was_on(next((a.name for a in measure.asks if a.unit and not a.optional), measure.asks[0].name), why_silent(conn, job_id))
    bands = {b.id: b for b in model.bands}
    band = form.get("band", "")
    if measure.per == "band" and band not in bands:
        faults["band"] = "Choose the band."
    values: dict[str, Any] = dict(typed.values)
    if words := values.get("definition"):
        values["definition"] = next(d.name for d in DEFINITIONS.values() if d.words == words)
    for key, value in values.items():
        if isinstance(value, float) and key.endswith("_v"):
            if value <= 0:
                faults[key] = "It is above zero."
            elif key == "level_v" and not SENSIBLE_LEVEL_V[0] <= value <= SENSIBLE_LEVEL_V[1]:
                slips.about(key, value, expected=expected_v(conn, job_id, band), unit="V")
        if isinstance(value, float) and key in ON_THE_BAND and band in bands:
            drawn = bands[band]
            slips.within(key, value, sensible=(drawn.f_low_hz * 0.8, drawn.f_high_hz * 1.25), unit="Hz")
        if isinstance(value, float) and key in BESIDE_NOMINAL and "nominal_hz" not in faults:
            slips.beside(key, value, drawn=values.get("nominal_hz"), unit="Hz")
    coupling = form.get("coupling", "").strip()[:80]
    if name == "sensitivity" and not coupling:
        faults["coupling"] = "Say how the generator was coupled: levels are compared only where it was the same."
    cover = cover_said(form, faults)
    slips.refuse()
    values.setdefault("at_hz", middle_of(bands[band]) if band in bands and name not in ("frequency", "window") else None)
    values = {k: v for k, v in values.items() if v is not None}
    if name == "frequency" and "reference_ppm" not in values:
        counter = instruments_register.sure(conn, instrument="counter", quantity="frequency")
        values["reference_ppm"] = counter.uncertainty
    if name == "frequency":
        sigma = values["reference_ppm"] * 1e-6 * values["nominal_hz"] / K95
    if name == "sensitivity" and DEFINITIONS[values["definition"]].evidence == "by ear":
        sigma = BY_EAR_DB  # what is just audible differs by so much from ear to ear, and from hour to hour
    elif name == "sensitivity" and sigma is None:  # the attenuator's, and what a person reads off a meter
        sigma = math.hypot(BY_EYE_DB, instruments_register.sure(conn, instrument="generator", quantity="level").sigma)
    try:
        measure.figures(values)
    except CalmNeedleError as fault:
        field = next((a.name for a in measure.asks if str(fault).startswith(a.name)), measure.asks[-1].name)
        raise FieldsRefused({field: str(fault)}) from None
    conditions = {"coupling": coupling or usual_coupling(model), "words": form.get("words", "").strip()[:LONGEST_REASON], **(heard or {})}
    return _keep(conn, job_id, name, band if measure.per == "band" else "", values, conditions, sigma, source, cover)


def cover_said(form: Mapping[str, str], faults: dict[str, str]) -> str:
    """Return whether the covers are on or off, as said in a form; a fault where it is not said, for it is never assumed."""
    said = form.get("cover", "")
    if said not in ("on", "off"):
        faults["cover"] = "Are the covers on or off? Covers shift what is measured."
    return said


def expected_v(conn: sqlite3.Connection, job_id: int, band: str) -> float:
    """About which level a band should need in its middle: as it was read last, as its papers have it, or as such sets do."""
    mine = [line for line in view(conn, job_id).lines if line.band.id == band]
    line = min(mine, key=lambda line: (line.last is None, abs(line.at_hz - middle_of(line.band))), default=None)
    if line and line.last and line.last.main.value:
        return line.last.main.value
    return line.limit.most if line and line.limit and line.limit.most else USUAL_LEVEL_V


def curve_file(conn: sqlite3.Connection, job_id: int, measurement_id: int, kind: str) -> str:
    """Return the curve of a measurement as csv, or a response as s2p (Touchstone). Raises NotFound where it has none such."""
    one = next((t for t in taken(conn, job_id) if t.id == measurement_id), None)
    if one is None or one.curve is None:
        raise NotFound("curve", measurement_id)
    if kind == "csv":
        return write_curves(one.curve)
    if one.response is None:
        raise NotFound("response", measurement_id)
    return write_touchstone(one.response)


def strike(conn: sqlite3.Connection, job_id: int, measurement_id: int, reason: str) -> None:
    """Strike a measurement, with a reason that stands beside it. Raises NotFound, FieldsRefused."""
    if not any(t.id == measurement_id for t in taken(conn, job_id)):
        raise NotFound("measurement of this job", measurement_id)
    if not reason.strip():
        raise FieldsRefused({f"reason-{measurement_id}": "Say in a few words what was wrong with it; it stays in the record, struck."})
    store.strike(conn, measurement_id=measurement_id, reason=reason.strip()[:LONGEST_REASON], at_utc=now_utc(conn))


def to_close(conn: sqlite3.Connection, job_id: int) -> list[Taken]:
    """Return what was measured with the covers off, or nobody said how, and stands, and is still to be measured with them on."""
    found = standing(conn, job_id)
    closed = {t.key for t in found if t.cover == "on"}
    return [t for t in found if t.cover != "on" and t.key not in closed and t.measure.per == "band"]


def lacks(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return what a verification still lacks, in sentences; empty when it is through. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    found = standing(conn, job_id)
    everything = [t for t in taken(conn, job_id) if not t.struck]
    out = []
    for band in model.bands:
        mine = [t for t in found if t.measure.name == "sensitivity" and t.band == band.id and not t.by_ear]
        if not mine:
            stale = [t for t in everything if t.measure.name == "sensitivity" and t.band == band.id and t.stale]
            why = f": {stale[-1].stale}" if stale else ""
            out.append(f"sensitivity on {band.name}{' again' if stale else ''}{why}")
    for t in to_close(conn, job_id):
        out.append(f"{t.measure.title.lower()} on {t.band_name} at {t.at} with the covers on")
    covered = {t.band for t in found if t.cover == "on" and (t.measure.name == "frequency" or "pointer_hz" in t.values)}
    out += [f"dial calibration on {b.name} with the covers on (Frequency accuracy)" for b in model.bands if b.marks and b.id not in covered]
    return out


def outside(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return what was measured, stands, and is outside its limits, in words: figures beside the service data, the dial with the covers on.

    Where the covers were on and off, the figure with the covers on counts.
    """
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    found = [t for t in standing(conn, job_id) if not t.by_ear]
    closed = {t.key for t in found if t.cover == "on"}
    final = [t for t in found if t.cover == "on" or t.key not in closed]
    out = [
        f"{t.measure.title.lower()} on {t.band_name}: {t.main.shown}. {t.against.sentence}"
        for t in final
        if t.limit and t.against.state == "stop"
    ]
    tolerances = {i: band.tolerance_percent for i, band in bands_as_wished(conn, job_id, model).items()}
    for t in (t for t in final if t.cover == "on" and t.band in tolerances):
        dial_hz, receives_hz = t.values.get("pointer_hz") or t.values.get("nominal_hz"), t.values.get("measured_hz") or t.at_hz
        if dial_hz and receives_hz and abs(receives_hz / dial_hz - 1.0) > tolerances[t.band] / 100.0:
            at, read = (format_plain(f, unit="Hz", digits=5) for f in (dial_hz, receives_hz))
            out.append(f"dial on {t.band_name}: {read} is received at {at}, ± {tolerances[t.band]:g}\u00a0% allowed")
    return list(dict.fromkeys(out))


def since_it_came(conn: sqlite3.Connection, job_id: int, last: Taken) -> tuple[Taken, Change] | None:
    """Return the first of a figure before anything was mended or turned, taken as the last one was with its covers alike, and the change
    since; None where there is none to compare with."""
    alike = (t for t in taken(conn, job_id) if t.key == last.key and t.cover == last.cover and t.cover and not t.struck and t.as_came)
    first = next((t for t in alike if t.id < last.id), None)
    return (first, change_of(first, last)) if first else None


def cover_shift(conn: sqlite3.Connection, job_id: int, closed: Taken) -> Change | None:
    """Return what putting the covers on did to a figure, by the last one alike with them off that came before; None where there is none."""
    earlier = (t for t in reversed(taken(conn, job_id)) if t.key == closed.key and t.cover == "off" and not t.struck and not t.stale)
    opened = next((t for t in earlier if t.id < closed.id), None)
    return change_of(opened, closed, but_for_covers=True) if opened and closed.cover == "on" else None


def _keep(
    conn: sqlite3.Connection,
    job_id: int,
    name: str,
    band: str,
    values: Mapping[str, Any],
    conditions: Mapping[str, Any],
    sigma: float | None,
    source: str,
    cover: str,
) -> int:
    return store.add(
        conn,
        job_id=job_id,
        kind=name,
        band=band,
        measured=json.dumps(values, ensure_ascii=False),
        conditions=json.dumps(conditions, ensure_ascii=False),
        sigma=sigma,
        source=source,
        cover=cover,
        at_utc=now_utc(conn),
    )


def _measure(name: str) -> Measure:
    if name not in MEASURES:
        raise NotFound("measurement", name[:30])
    return MEASURES[name]


def _at(form: Mapping[str, str], band: Band) -> float:
    text = form.get("at", "").strip()
    if not text:
        return middle_of(band)
    try:
        at_hz = parse_si(text, unit="Hz")
    except NotUnderstood as fault:
        raise FieldsRefused({"at": str(fault)}) from None
    if not band.f_low_hz <= at_hz <= band.f_high_hz:
        ends = f"{format_si(band.f_low_hz, unit='Hz')} to {format_si(band.f_high_hz, unit='Hz')}"
        raise FieldsRefused({"at": f"{band.name} goes from {ends}."})
    return at_hz


def _image_hz(band: Band, at_hz: float) -> float:
    return abs(frequency_plan(dial_hz=at_hz, if_hz=band.if_hz, side=band.side).image_hz)


def definition_called(words: str) -> str:
    """Return the words of the definition that is called so, by its name, its words or its short form; empty for none."""
    wanted = " ".join(words.split()).casefold()
    for d in DEFINITIONS.values():
        if wanted in (d.name, " ".join(d.words.split()).casefold(), " ".join(d.short.split()).casefold()):
            return d.words
    return ""


def asks_of(measure: Measure) -> tuple[Ask, ...]:
    """Return what a page asks of a measurement by hand."""
    return measure.asks
