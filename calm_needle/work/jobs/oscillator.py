"""Where a set's oscillator runs over the dial of each band: picked up by the instruments or typed, two sweeps compared."""

import sqlite3
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Model
from calm_needle.core.pictures import Curves, Line
from calm_needle.core.plausible import likely_instead, part_instead
from calm_needle.core.procedure.dial.band import travel_share
from calm_needle.core.quantities import format_plain, parse_si
from calm_needle.core.soundness.coverage import Picked, compare_modes, judge_coverage, latest_of_each_band
from calm_needle.core.verdict import Verdict
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.store import coverage
from calm_needle.store.db import transaction
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness.power import why_silent

PLACES = 11  # of the dial at which the oscillator is picked up
LONGEST_LABEL = 60


class OscillatorView(NamedTuple):
    """covered: the last sweep's verdict; levels: how strong it is over each band, beside the sweep before; swept: when; compared: how the
    two compare, None before there are two."""

    covered: Verdict
    levels: list[tuple[str, Curves]]
    swept: str
    compared: Verdict | None


def view(conn: sqlite3.Connection, job_id: int, model: Model) -> OscillatorView:
    """Return where the oscillator runs, by the last sweep and the one before."""
    sweeps = coverage.sweeps(conn, job_id)
    names = {b.id: b.name for b in model.bands}
    last = picked_last(conn, job_id, model)
    before = _picked(model, sweeps[1]) if len(sweeps) > 1 else []
    label = sweeps[0][0].label if sweeps else ""
    return OscillatorView(
        judge_coverage(last, names=names),
        _levels(last, before, names),
        f"{sweeps[0][0].at_utc[:16].replace('T', ' ')} UTC{', ' + label if label else ''}" if sweeps else "",
        _compared(sweeps, _picked(model, sweeps[0]) if sweeps else [], before, names),
    )


def picked_last(conn: sqlite3.Connection, job_id: int, model: Model) -> list[Picked]:
    """Return what was last picked up of each band."""
    return latest_of_each_band([_picked(model, s) for s in coverage.sweeps(conn, job_id)])


def sweep(conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Meters) -> None:
    """Pick up the oscillator over every band, and keep it. Raises NotFound, FieldsRefused, InstrumentError."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    if silent := why_silent(conn, job_id):
        raise FieldsRefused({"coverage": silent})
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
        coverage.add_sweep(conn, job_id=job_id, label=label, readings=readings, at_utc=now_utc(conn))


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
            runs_at_hz = 0.0 if dead else parse_si("".join(rest), unit="Hz")
            readings.append((band.id, dial_hz, runs_at_hz, 0.0 if dead else 1.0))
            if (meant := likely_instead(dial_hz, sensible=(0.9 * band.f_low_hz, 1.1 * band.f_high_hz))) is not None:
                faults.append(f"Line {number}: {_hz(dial_hz)} is not on {band.name}; {_hz(meant)}?")
            receives_at = dial_hz + (band.if_hz if band.side == "above" else -band.if_hz)
            if runs_at_hz and (meant := part_instead(runs_at_hz, drawn=receives_at)) is not None:
                faults.append(f"Line {number}: an oscillator at {_hz(runs_at_hz)} does not receive {_hz(dial_hz)}; {_hz(meant)}?")
        except (CalmNeedleError, IndexError):
            faults.append(f"Line {number}, “{line.strip()[:40]}”: write the dial and what the counter shows, 600k 1068k, or dead.")
    if faults or not readings:
        raise FieldsRefused({"lines": " ".join(faults) or "Write at least one place of the dial."})
    with transaction(conn):
        coverage.add_sweep(conn, job_id=job_id, label="typed", readings=readings, at_utc=now_utc(conn))


def _hz(f_hz: float) -> str:
    return format_plain(f_hz, unit="Hz", digits=6)


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


def _compared(sweeps: list[list[coverage.CoverageRow]], last: list[Picked], before: list[Picked], names: dict[str, str]) -> Verdict | None:
    """How the last sweep compares with the one before: two modes, or before and after something was changed."""
    if not before:
        return None
    return compare_modes(last, before, names=names, how=(sweeps[0][0].label, sweeps[1][0].label))


def _begun(name: str) -> str:
    return name[:1].upper() + name[1:]
