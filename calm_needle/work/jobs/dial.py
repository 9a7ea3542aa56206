"""The dial of a job's set as its page shows it: every band's frequencies, its marks as read, how bands meet, where the oscillator runs."""

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.band_plan import Meeting, lanes, meetings
from calm_needle.core.physics.dial_fit import Reading, fit
from calm_needle.core.physics.dial_setting import best_setting
from calm_needle.core.pictures import Curves, Lanes, Line, Mark, PrintedScale, Stretch
from calm_needle.core.procedure.dial.band import DialBand
from calm_needle.core.procedure.dial.evidence import evidence_of
from calm_needle.core.procedure.dial.words import hz, on_the_scale, percent, size
from calm_needle.core.procedure.front_end import steps as front_end
from calm_needle.core.procedure.front_end.advice import USUAL_Q, losses, served_points
from calm_needle.core.procedure.plan import read_plan
from calm_needle.core.procedure.run import Act, fold
from calm_needle.core.quantities import format_plain, format_si
from calm_needle.errors import CalmNeedleError
from calm_needle.store import runs
from calm_needle.store.carriers import CarrierRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import carriers, gang, images, oscillator
from calm_needle.work.jobs.gang import GangView
from calm_needle.work.jobs.images import ImageLine
from calm_needle.work.jobs.oscillator import OscillatorView
from calm_needle.work.jobs.own_dossier import PadderOffer, padder_offer
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.jobs.wishes import bands_as_wished

PHASE = "oscillator and dial"
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
    """A band as the page shows it. read_in: the run that read its marks, None where none has. padder: what making a fixed one adjustable
    takes; seized: adjusters that no longer turn."""

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
    loss: Curves | None
    loss_words: str
    padder: PadderOffer | None
    seized: list[str]


@dataclass(frozen=True)
class DialView:
    """The page. carriers: each with whether it was known too long ago."""

    job: JobRow
    model: Model
    bands: list[BandPage]
    meets: list[str]
    oscillator: OscillatorView
    images: list[ImageLine]
    gang: GangView
    carriers: list[tuple[CarrierRow, bool]]


def view(conn: sqlite3.Connection, job_id: int) -> DialView:
    """Return what is known of a job's dial. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    wanted = bands_as_wished(conn, job_id, model)
    found = {band_id: _latest(conn, job_id, band) for band_id, band in wanted.items()}
    peaked = _peaked(conn, job_id)
    bands = [_band(model, band, *found[band_id], peaked.get(band_id, ())) for band_id, band in wanted.items()]
    reach = []
    for band_id, band in wanted.items():
        ends = _measured_ends(band, found[band_id][0]) or (band.band.f_low_hz, band.band.f_high_hz)
        reach.append((band.band.name, *ends))
    return DialView(
        job,
        model,
        bands,
        [_meets(m) for m in meetings(reach)],
        oscillator.view(conn, job_id, model),
        images.lines(conn, job_id, model),
        gang.view(conn, job_id, model),
        carriers.table(conn),
    )


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


class DialError(NamedTuple):
    """The worst dial error that was read on a band since it was last turned (Hz), where, and whether every mark is within tolerance."""

    band: str
    band_name: str
    dial_hz: float
    error_hz: float
    tolerance_percent: float
    within: bool

    @property
    def words(self) -> str:
        """As a list of what is wrong says it."""
        error, at = format_si(self.error_hz, unit="Hz", digits=3, signed=True), format_plain(self.dial_hz, unit="Hz", digits=5)
        return f"{error} at {at}, ± {self.tolerance_percent:g}\u00a0% allowed"


def dial_errors(conn: sqlite3.Connection, job_id: int, model: Model) -> list[DialError]:
    """Return the worst dial error of each band whose marks were read."""
    out = []
    for band_id, band in bands_as_wished(conn, job_id, model).items():
        readings, _ = _latest(conn, job_id, band)
        if readings:
            worst = max(readings, key=lambda r: abs(r.error_hz) / r.dial_hz)
            within = abs(worst.error_hz) <= band.tolerance_percent / 100.0 * worst.dial_hz
            out.append(DialError(band_id, band.band.name, worst.dial_hz, worst.error_hz, band.tolerance_percent, within))
    return out


def _peaked(conn: sqlite3.Connection, job_id: int) -> dict[str, tuple[float, ...]]:
    """At which places of the dial each band's signal circuits were last peaked, by the newest run that did (Hz)."""
    out: dict[str, tuple[float, ...]] = {}
    for run in runs.runs_of_job(conn, job_id):
        if run.phase != front_end.PHASE:
            continue
        acts = [Act(a.id, a.kind, a.at_utc, json.loads(a.detail)) for a in runs.acts(conn, run.id)]
        state = fold(read_plan(json.loads(runs.plan_of_run(conn, run.id))), acts)
        here: dict[str, set[float]] = {}
        for visit in state.visits:
            step = state.plan.step(visit.step_id)
            at = step.set_up.tuning
            if visit.outcome == "take" and not visit.superseded and step.adjusters and at.band and at.dial_hz:
                here.setdefault(at.band, set()).add(at.dial_hz)
        out |= {band: tuple(sorted(places)) for band, places in here.items()}
    return out


def _loss(model: Model, band: DialBand, readings: list[Reading], peaked: Sequence[float]) -> tuple[Curves | None, str]:
    """What tracking costs over a band, and at which places it is peaked; none where the dossier lacks the signal circuit's values."""
    at = peaked or served_points(band)
    low, high = band.drawn.marks_hz[0], band.drawn.marks_hz[-1]
    places = [low * (high / low) ** (i / 60.0) for i in range(61)]
    found = losses(model, band, readings, peaked_hz=at, at_hz=places)
    if found is None:
        return None, ""
    q, circuits = model.signal_circuits(band.band.id)
    named = " and ".join(format_plain(f, unit="Hz", digits=5) for f in at)
    how = f"Peaked at {named}" if peaked else f"If it is peaked at {named}, as the papers have it"
    by = f"by a Q of {q or USUAL_Q:.0f}{'' if q else ', usual for such circuits'}{f', {circuits} circuits' if circuits > 1 else ''}"
    k = max(range(len(places)), key=lambda i: found.loss_db[i])
    where = format_plain(places[k], unit="Hz", digits=3)
    words = (
        f"{how}: at most {found.worst_db:.1f} dB is lost, at {where}; worked out {by}, the dial {'as read' if readings else 'as drawn'}."
    )
    line = Line("lost", list(zip(places, found.loss_db, strict=True)), "after")
    curves = Curves("Lost by tracking", "Hz", "dB", [line], [Mark(f, "", 0.0, "after") for f in at], log_x=True)
    return curves, words


def _band(model: Model, band: DialBand, readings: list[Reading], read_in: int | None, peaked: Sequence[float]) -> BandPage:
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
            on_the_scale(band, dial_hz=r.dial_hz, error_hz=r.error_hz),
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
        *_loss(model, band, readings, peaked),
        padder_offer(model, band),
        [a.name for a in model.adjusters if a.seized and a.id in band.parts.values()],
    )


def _curve(band: DialBand, readings: list[Reading]) -> Curves | None:
    try:
        found = fit(band.drawn, readings)
    except CalmNeedleError:
        return None
    low, high = band.drawn.marks_hz[0], band.drawn.marks_hz[-1]
    at = [low * (high / low) ** (i / 40.0) for i in range(41)]
    errors = (found.drawn.receives_hz(found.now, found.drawn.gang(at)) - at).tolist()
    can_be = {**found.now, **best_setting(found).values}
    best = found.drawn.receives_hz(can_be, found.drawn.gang(at)) - at
    share = band.tolerance_percent / 100.0
    return Curves(
        "Error over the dial",
        "Hz",
        "Hz",
        [
            Line("tolerance", [(f, share * f) for f in at], "slate", dashed=True),
            Line("", [(f, -share * f) for f in at], "slate", dashed=True),
            Line("best", list(zip(at, best.tolist(), strict=True)), "slate"),
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
        # Beyond the marks of a scale a tank that is only typical may need less than its trimmer has.
        low, high = found.drawn.receives_hz(found.now, found.drawn.gang((band.band.f_low_hz, band.band.f_high_hz))).tolist()
    except CalmNeedleError:
        return None
    return float(low), float(high)


def _meets(m: Meeting) -> str:
    amount = format_si(abs(m.overlap_hz), unit="Hz", digits=3)
    how = f"overlap by {amount}" if m.overlap_hz >= 0 else f"leave a gap of {amount}"
    return f"{_begun(m.lower)} and {m.upper} {how}."


def _begun(name: str) -> str:
    return name[:1].upper() + name[1:]
