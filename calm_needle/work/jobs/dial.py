"""The dial of a job's set as its page shows it: every band's frequencies, its marks as read, how bands meet, where the oscillator runs."""

import json
import sqlite3
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.band_plan import Meeting, lanes, meetings
from calm_needle.core.physics.dial_fit import Reading, fit
from calm_needle.core.pictures import Curves, Lanes, Line, Mark, PrintedScale, Stretch
from calm_needle.core.procedure.dial.band import DialBand, dial_bands, travel_share
from calm_needle.core.procedure.dial.evidence import evidence_of
from calm_needle.core.procedure.dial.words import hz, percent, size
from calm_needle.core.procedure.plan import read_plan
from calm_needle.core.procedure.run import Act, fold
from calm_needle.core.quantities import format_plain, format_si, parse_si
from calm_needle.core.soundness.coverage import Picked, judge_coverage
from calm_needle.core.verdict import Verdict
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.store import coverage, runs
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.clock import now_utc
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness.power import power_of

PHASE = "oscillator and dial"
PLACES = 11  # of the dial at which the oscillator is picked up
LONGEST_LABEL = 60
INKS = {"dial": "ink", "oscillator": "after", "half-IF": "slate", "image": "madder", "IF": "moss"}


class MarkLine(NamedTuple):
    """One mark as it was read: what it says, what the set receives there, the error in hertz, per cent and millimetres."""

    mark: str
    receives: str
    error: str
    percent: str
    mm: str


class Served(NamedTuple):
    """Which adjuster serves an end or a point of a band: for the oscillator and for the signal circuits; empty where there is none."""

    point: str
    oscillator: str
    signal: str


@dataclass(frozen=True)
class BandPage:
    """A band as the page shows it. read_in: the run that read its marks, None where none has."""

    id: str
    name: str
    plan: Lanes
    scale: PrintedScale | None
    curve: Curves | None
    lines: list[MarkLine]
    served: list[Served]
    read_in: int | None
    worst: str
    tolerance: str


@dataclass(frozen=True)
class DialView:
    """The page. covered: the last sweep's verdict; levels: how strong it is over each band, beside the sweep before."""

    job: JobRow
    model: Model
    bands: list[BandPage]
    meets: list[str]
    covered: Verdict
    levels: list[tuple[str, Curves]]
    swept: str
    compared: list[str]


def view(conn: sqlite3.Connection, job_id: int) -> DialView:
    """Return what is known of a job's dial. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    found = {band_id: _latest(conn, job_id, band) for band_id, band in dial_bands(model).items()}
    bands = [_band(model, band, *found[band_id]) for band_id, band in dial_bands(model).items()]
    reach = []
    for band_id, band in dial_bands(model).items():
        ends = _measured_ends(band, found[band_id][0]) or (band.band.f_low_hz, band.band.f_high_hz)
        reach.append((band.band.name, *ends))
    sweeps = coverage.sweeps(conn, job_id)
    names = {b.id: b.name for b in model.bands}
    last = _picked(model, sweeps[0]) if sweeps else []
    before = _picked(model, sweeps[1]) if len(sweeps) > 1 else []
    return DialView(
        job,
        model,
        bands,
        [_meets(m) for m in meetings(reach)],
        judge_coverage(last, names=names),
        _levels(last, before, names),
        f"{sweeps[0][0].at_utc[:16].replace('T', ' ')} UTC{', ' + sweeps[0][0].label if sweeps[0][0].label else ''}" if sweeps else "",
        _compared(last, before, names),
    )


def sweep(conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Meters) -> None:
    """Pick up the oscillator over every band, and keep it. Raises NotFound, FieldsRefused, InstrumentError."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    if power_of(conn, job_id).state in ("off", "stopped"):
        raise FieldsRefused({"coverage": "The set is off, as the log of its start says: switch it on, and let it warm."})
    label = form.get("label", "").strip()
    if len(label) > LONGEST_LABEL:
        raise FieldsRefused({"coverage": f"In at most {LONGEST_LABEL} letters: how the set stands."})
    stage = model.oscillator_stage()
    if stage is None:
        raise FieldsRefused({"coverage": "This dossier has no oscillator to pick up."})
    readings: list[tuple[str, float, float, float]] = []
    for band in model.bands:
        places = [band.f_low_hz * (band.f_high_hz / band.f_low_hz) ** (i / (PLACES - 1)) for i in range(PLACES)]
        readings += [(band.id, *r) for r in soundings.sweep_oscillator(meters, band, dial_hz=places, loop=f"loop {stage}")]
    with transaction(conn):
        coverage.add_sweep(conn, job_id=job_id, label=label, readings=readings, at_utc=now_utc())


def type_in(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep what a counter showed at places of a band's dial, typed: «530 kHz 998.2 kHz» a line, the second «dead» where it counts nothing.

    Raises NotFound, FieldsRefused with every line that cannot be read.
    """
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    band = next((b for b in model.bands if b.id == form.get("band")), None)
    if band is None:
        raise NotFound("band", form.get("band", ""))
    readings, faults = [], []
    for number, line in enumerate((x for x in form.get("lines", "").splitlines() if x.strip()), start=1):
        words = line.replace(";", " ").split()
        try:
            dial_hz = parse_si("".join(words[:-1]) if len(words) % 2 else "".join(words[: len(words) // 2]), unit="Hz")
            rest = words[-1:] if len(words) % 2 else words[len(words) // 2 :]
            dead = rest[0].lower() in ("dead", "none", "0")
            readings.append((band.id, dial_hz, 0.0 if dead else parse_si("".join(rest), unit="Hz"), 0.0 if dead else 1.0))
        except (CalmNeedleError, IndexError):
            faults.append(f"Line {number}, “{line.strip()[:40]}”: write the dial and what the counter shows, 600k 1068k, or dead.")
    if faults or not readings:
        raise FieldsRefused({"lines": " ".join(faults) or "Write at least one place of the dial."})
    with transaction(conn):
        coverage.add_sweep(conn, job_id=job_id, label="typed", readings=readings, at_utc=now_utc())


def _latest(conn: sqlite3.Connection, job_id: int, band: DialBand) -> tuple[list[Reading], int | None]:
    """What was read of a band since anything of it was last turned, in the newest run that read it."""
    for run in reversed(runs.runs_of_job(conn, job_id)):
        if run.phase != PHASE:
            continue
        acts = [Act(a.id, a.kind, a.at_utc, json.loads(a.detail)) for a in runs.acts(conn, run.id)]
        state = fold(read_plan(json.loads(runs.plan_of_run(conn, run.id))), acts)
        readings = evidence_of(state.plan, state.visits, band).since_turned()
        if readings:
            return readings, run.id
    return [], None


def _band(model: Model, band: DialBand, readings: list[Reading], read_in: int | None) -> BandPage:
    b = band.band
    checks = [Mark(f, "", ink="ink") for f in band.read_at_hz]
    plan = Lanes(
        f"{b.name}, frequencies side by side",
        "Hz",
        [
            Stretch(x.name, x.low_hz, x.high_hz, INKS[x.name], checks if x.name == "dial" else ())  # type: ignore[arg-type]
            for x in lanes(low_hz=b.f_low_hz, high_hz=b.f_high_hz, if_hz=b.if_hz, side=b.side)
        ],
    )
    length = float(next(x for x in model.raw["bands"] if x["id"] == b.id).get("dial", {}).get("length_mm", b.marks[-1].position_mm + 10.0))
    right = [(band.place_mm(r.dial_hz), band.place_mm(r.dial_hz) - band.error_mm(dial_hz=r.dial_hz, error_hz=r.error_hz)) for r in readings]
    inside = [(mm, min(max(at, 0.0), length)) for mm, at in right]
    printed = [(m.position_mm, format_plain(m.dial_hz, unit="Hz", digits=4)) for m in b.marks]
    lines = [
        MarkLine(
            format_plain(r.dial_hz, unit="Hz", digits=5),
            format_plain(r.receives_hz, unit="Hz", digits=6),
            hz(r.error_hz),
            percent(error_hz=r.error_hz, at_hz=r.dial_hz),
            f"{band.error_mm(dial_hz=r.dial_hz, error_hz=r.error_hz):+.1f} mm".replace("-", "−"),
        )
        for r in sorted(readings)
    ]
    worst = max(readings, key=lambda r: abs(r.error_hz), default=None)
    return BandPage(
        b.id,
        b.name,
        plan,
        PrintedScale(f"The dial on {b.name}", length, printed, inside),
        _curve(band, readings) if len(readings) > 1 else None,
        lines,
        _served(model, band),
        read_in,
        f"{size(worst.error_hz)} at {format_plain(worst.dial_hz, unit='Hz', digits=5)}" if worst else "",
        f"{band.tolerance_percent:g} %, {band.tolerance_from}",
    )


def _curve(band: DialBand, readings: list[Reading]) -> Curves | None:
    try:
        found = fit(band.drawn, readings)
    except CalmNeedleError:
        return None
    low, high = band.drawn.marks_hz[0], band.drawn.marks_hz[-1]
    at = [low * (high / low) ** (i / 40.0) for i in range(41)]
    errors = (found.drawn.receives_hz(found.now, found.drawn.gang(at)) - at).tolist()
    share = band.tolerance_percent / 100.0
    return Curves(
        "Error over the dial",
        "Hz",
        "Hz",
        [
            Line("tolerance", [(f, share * f) for f in at], "slate", dashed=True),
            Line("", [(f, -share * f) for f in at], "slate", dashed=True),
            Line("error", list(zip(at, errors, strict=True)), "after"),
        ],
        [Mark(r.dial_hz, "", r.error_hz, "after") for r in readings],
        log_x=True,
    )


def _served(model: Model, band: DialBand) -> list[Served]:
    """Which adjuster serves which point; what a band lacks is said, so that no hole is silent."""
    out = []
    for point in band.band.tracking:
        oscillator = point.get("oscillator")
        signal = [model.adjuster(a).name for a in point.get("signal", ())]
        out.append(
            Served(
                format_plain(float(point["dial_hz"]), unit="Hz", digits=5),
                model.adjuster(oscillator).name if oscillator else "",
                ", ".join(signal),
            )
        )
    return out


def _measured_ends(band: DialBand, readings: list[Reading]) -> tuple[float, float] | None:
    """Where the band really begins and ends, by its readings; None before there are two."""
    if len(readings) < 2:
        return None
    try:
        found = fit(band.drawn, readings)
    except CalmNeedleError:
        return None
    low, high = found.drawn.receives_hz(found.now, found.drawn.gang((band.band.f_low_hz, band.band.f_high_hz))).tolist()
    return float(low), float(high)


def _meets(m: Meeting) -> str:
    amount = format_si(abs(m.overlap_hz), unit="Hz", digits=3)
    how = f"overlap by {amount}" if m.overlap_hz >= 0 else f"leave a gap of {amount}"
    return f"{_begun(m.lower)} and {m.upper} {how}."


def _picked(model: Model, rows: list[coverage.CoverageRow]) -> list[Picked]:
    bands = {b.id: b for b in model.bands}
    known = [(r, bands[r.band]) for r in rows if r.band in bands]
    return [Picked(r.band, r.dial_hz, travel_share(band, r.dial_hz), r.oscillator_hz, r.vpp) for r, band in known]


def _levels(last: list[Picked], before: list[Picked], names: dict[str, str]) -> list[tuple[str, Curves]]:
    """How strong the oscillator is over the shaft's travel, band by band, with the sweep before beside it."""
    out = []
    for band in dict.fromkeys(r.band for r in last):
        lines = [Line("now", [(100.0 * r.share, r.vpp) for r in last if r.band == band], "after", dots=True)]
        older = [(100.0 * r.share, r.vpp) for r in before if r.band == band]
        if older:
            lines.append(Line("before", older, "before", dashed=True))
        out.append((band, Curves(f"{_begun(names.get(band, band))}: the oscillator over the shaft’s travel", "%", "V", lines)))
    return out


def _begun(name: str) -> str:
    return name[:1].upper() + name[1:]


def _compared(last: list[Picked], before: list[Picked], names: dict[str, str]) -> list[str]:
    """How the last sweep compares with the one before, band by band."""
    out = []
    for band in dict.fromkeys(r.band for r in last):
        now, then = ([r.vpp for r in of if r.band == band and r.vpp > 0] for of in (last, before))
        if now and then:
            ratio = (sum(now) / len(now)) / (sum(then) / len(then))
            out.append(f"{_begun(names.get(band, band))}: {ratio:.2f} times the sweep before.")
    return out
