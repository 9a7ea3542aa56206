"""Calculators at the bench: what the dossier and the readings already know, an answer with its picture, a result sent into a job."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.physics.response import PairFit, coupled_pair, fit_pair
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.core.pictures import Picture
from calm_needle.core.quantities import format_si
from calm_needle.core.reckon import answers as calculators
from calm_needle.core.reckon.calculator import Answer, Calculator, Doubt, Key
from calm_needle.core.reckon.catalogue.tuned import pair_curves
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.files.traces import Trace
from calm_needle.store import reckonings, runs, shelf
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness.parts_sweep import leads_of

Shown = list[tuple[str, str]]


class Source(NamedTuple):
    """Something that fills fields in: its name in a form ("2:MW"), and how a person reads it."""

    name: str
    label: str


@dataclass(frozen=True)
class Filled:
    """A value that is known already, as it would be typed, and where from."""

    text: str
    source: str


@dataclass
class Reckoned:
    """What a calculator's page shows for what was typed: the answer, or a fault for each field."""

    answer: Answer | None = None
    sentence: str = ""
    results: Shown = field(default_factory=list)
    derivation: list[str] = field(default_factory=list)
    notes: tuple[str, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    picture: Picture | None = None
    faults: dict[str, str] = field(default_factory=dict)
    fault: str = ""
    waiting_for: tuple[str, ...] = ()


def reckon(name: str, typed: Mapping[str, str], *, recording: Recording | None = None, measured: Trace | None = None) -> Reckoned:
    """Return the answer to what was typed, with words, derivation and picture; or what stands in its way, field by field.

    Empty fields count as not given. Raises UnknownName for a calculator that does not exist.
    """
    calculator = calculators.find(name)
    out = Reckoned(notes=calculator.notes)
    values: dict[str, Any] = {}
    for key in calculator.keys:
        text = typed.get(key.name, "").strip()
        if key.kind == "file":
            if recording is not None:
                values[key.name] = recording
            continue
        if not text:
            continue
        try:
            values[key.name] = calculators.read_text(key, text)
        except CalmNeedleError as fault:
            out.faults[key.name] = str(fault)
    out.doubts = tuple(d for k in calculator.keys if k.name in values and (d := calculators.doubt_of(k, values[k.name])))
    out.waiting_for = tuple(k.label for k in calculator.keys if not k.optional and k.name not in values and k.name not in out.faults)
    if out.faults or out.waiting_for:
        return out
    try:
        answer = calculators.answer_values(name, values)
    except CalmNeedleError as fault:
        named = next((k.name for k in calculator.keys if str(fault).startswith(k.name)), None)
        if named:
            out.faults[named] = str(fault)
        else:
            out.fault = str(fault)
        return out
    return _worded(out, calculator, answer, measured)


def _worded(out: Reckoned, calculator: Calculator, answer: Answer, measured: Trace | None) -> Reckoned:
    out.answer = answer
    out.sentence = calculators.in_words(calculator, answer)
    out.results = [(r.label, calculators.show(r, answer.results[r.name])) for r in calculator.results if r.name in answer.results]
    out.derivation = calculators.derivation(calculator, answer)
    try:
        out.picture = calculator.picture(answer.inputs, answer.results)
        if measured is not None and calculator.name == "coupled-pair":
            top = max(measured.levels_db)
            points = [(f, v - top + _top_of(answer)) for f, v in zip(*measured, strict=True)]
            pair = {k: answer.inputs[k] for k in ("f1_hz", "q1", "f2_hz", "q2", "kappa")}
            out.picture = pair_curves(**pair, measured=points)
    except (ArithmeticError, ValueError):
        out.picture = None  # values at the edge of what can be drawn; the figures stand all the same
    return out


def _top_of(answer: Answer) -> float:
    """The pair's own highest level, on which a measured curve is laid."""
    pair = {k: answer.inputs[k] for k in ("f1_hz", "q1", "f2_hz", "q2", "kappa")}
    return coupled_pair(**pair, f_hz=answer.results["peak_high_hz"]).response_db


def fit_of(trace: Trace) -> PairFit:
    """Return the coupled pair that fits a response. Raises NoAnswer, OutOfRange."""
    return fit_pair(frequencies_hz=trace.frequencies_hz, levels_db=trace.levels_db)


def fields_of_fit(fit: PairFit) -> dict[str, str]:
    """Return the fitted pair as it would be typed into the coupled-pair page."""
    return {
        "f1_hz": format_si(fit.f1_hz, unit="Hz", digits=7),
        "q1": f"{fit.q1:.4g}",
        "f2_hz": format_si(fit.f2_hz, unit="Hz", digits=7),
        "q2": f"{fit.q2:.4g}",
        "kappa": f"{fit.kappa:.4g}",
    }


MOST_OFFERED = 24


def sources(conn: sqlite3.Connection) -> list[Source]:
    """Return the jobs, band by band, that can fill fields in."""
    out = []
    for job in shelf.newest_jobs(conn, limit=MOST_OFFERED):
        model = model_of_dossier(conn, job.dossier_id)
        out += [Source(f"{job.id}:{band.id}", f"{band.name}, job {job.id}: {job.model_name} no. {job.serial}") for band in model.bands]
    return out


def job_id_of(source: str) -> int | None:
    """Return the job a source name belongs to, or None."""
    number = source.partition(":")[0]
    return int(number) if number.isascii() and number.isdigit() and len(number) < 10 else None


def filled_in(conn: sqlite3.Connection, calculator: Calculator, source: str) -> dict[str, Filled]:
    """Return what is known already for each key, from the dossier's band and the job's readings; empty for no source.

    Raises NotFound for a job or band that is not there.
    """
    job_id = job_id_of(source)
    if job_id is None:
        return {}
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    band = next((b for b in model.bands if b.id == source.partition(":")[2]), None)
    if band is None:
        raise NotFound("band", source.partition(":")[2][:20])
    known = _known_values(model, band)
    leads = leads_of(conn, job_id).get("F")
    out = {}
    for key in calculator.keys:
        value = known.get(key.known)
        if value is not None:
            out[key.name] = Filled(_typed(key, value), "dossier")
        elif key.known == "leads_f" and leads:
            out[key.name] = Filled(leads, "as the leads were read")
    if calculator.name == "gain":
        out |= _readings(conn, job_id)
    return out


def keep(
    conn: sqlite3.Connection, *, source: str, name: str, typed: Mapping[str, str], kind: str, recording: Recording | None = None
) -> int:
    """Send an answer into a job as a finding or a reading, and return the job's id. Raises FieldsRefused in words."""
    job_id = job_id_of(source)
    if job_id is None:
        raise FieldsRefused({"from": "Choose the job it belongs to first: “Fill in from”, above."})
    job_of(conn, job_id)
    if kind not in ("finding", "reading"):
        raise FieldsRefused({"kind": "Send it as a finding or as a reading."})
    reckoned = reckon(name, typed, recording=recording)
    if reckoned.answer is None:
        raise FieldsRefused(reckoned.faults or {"answer": reckoned.fault or "There is no answer yet to send."})
    plain = reckoned.answer.as_dict()
    reckonings.add_reckoning(
        conn,
        job_id=job_id,
        calculator=name,
        kind=kind,
        sentence=reckoned.sentence[:1].upper() + reckoned.sentence[1:],
        inputs=json.dumps(plain["inputs"]),
        results=json.dumps(plain["results"]),
        at_utc=now_utc(conn),
    )
    return job_id


def kept_in(conn: sqlite3.Connection, job_id: int) -> list[reckonings.ReckoningRow]:
    """Return what was sent into a job."""
    return reckonings.reckonings_of_job(conn, job_id)


def _known_values(model: Model, band: Band) -> dict[str, Any]:
    oscillator, signal = band.oscillator_tank, band.signal_tank
    ends = [p["dial_hz"] for p in band.tracking if p.get("oscillator")]
    bands = model.bands
    transformers = list(model.simulation.get("transformers", {}).values())
    winding = transformers[0]["primary"] if transformers else {}
    return {
        "if_hz": band.if_hz,
        "side": band.side,
        "f_low_hz": band.f_low_hz,
        "f_high_hz": band.f_high_hz,
        "dial_hz": ends[-1] if ends else band.f_high_hz,
        "track1_hz": ends[0] if ends else None,
        "track2_hz": ends[-1] if len(ends) > 1 else None,
        "l_osc_h": oscillator.get("l_h"),
        "trim_f": oscillator.get("trim_f"),
        "padder_f": oscillator.get("padder_f"),
        "l_rf_h": signal.get("l_h"),
        "rf_trim_f": signal.get("trim_f"),
        "bandwidth_hz": model.bandwidth_6db_hz,
        "l_min_h": winding.get("l_min_h"),
        "l_max_h": winding.get("l_max_h"),
        "lows_hz": [b.f_low_hz for b in bands],
        "highs_hz": [b.f_high_hz for b in bands],
    }


def _readings(conn: sqlite3.Connection, job_id: int) -> dict[str, Filled]:
    """First and last taken volts of the job's latest run, for the change between them."""
    for run in reversed(runs.runs_of_job(conn, job_id)):
        taken = [
            detail
            for act in runs.acts(conn, run.id)
            if act.kind == "take" and (detail := json.loads(act.detail)).get("unit") == "V" and detail.get("value")
        ]
        if len(taken) > 1:
            first, last = (format_si(t["value"], unit="V", digits=4) for t in (taken[0], taken[-1]))
            return {"from_v": Filled(first, f"first reading of run {run.id}"), "to_v": Filled(last, f"last reading of run {run.id}")}
    return {}


def _typed(key: Key, value: Any) -> str:
    if isinstance(value, str):
        return value
    if isinstance(value, list):
        return "; ".join(_typed(key, v) for v in value)
    digits = len(f"{value:.6g}".replace(".", "").split("e")[0].strip("0")) or 1
    return format_si(value, unit=key.unit, digits=digits)
