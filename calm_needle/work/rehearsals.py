"""Rehearsals: phases gone through on a practice receiver by a modelled hand, and what it cost and how close it came.

if: nominal_hz, peak_hz; gain_found_db and gain_left_db (to the best that this receiver can do, before and after); forecast_db (what the
last decision expected of another round). bands: errors over the printed marks, the worst as found too, and the least that this receiver's
own adjusters can do; by how much the pointer alone makes a reading vary where it is worst (95 %, as the program takes it to come back), and
how surely the first readings told the padder (standard deviation). A finding's cause: the part, or what does not fit of the readings. A
touch is one spell of turning an adjuster that ends in taking or leaving it. Of a phase that is rehearsed alone, those before it are taken
as done as well as can be.
"""

import sqlite3
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal

from calm_needle.clock import from_text, seconds
from calm_needle.core.constants import K95
from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.model import Band, Group, Model, Step
from calm_needle.core.dossier.read import read_model
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.procedure.dial.band import dial_band
from calm_needle.core.procedure.dial.pointer import Pointer as Pointing
from calm_needle.core.procedure.level_keeper import MOST_V, keep_level
from calm_needle.core.procedure.run import rounds_of
from calm_needle.errors import FieldsRefused, UnknownName
from calm_needle.sim import by_the_book
from calm_needle.sim.instruments.counter import FrequencyCounter
from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.receiver.dial_truth import dial_truth, front_end_truth, set_right
from calm_needle.sim.receiver.pointer import Drive, Pointer
from calm_needle.sim.receiver.practice import Input, Misalignment, PracticeReceiver
from calm_needle.sim.receiver.true_set import be_true
from calm_needle.sim.receiver.unrest import DISTURBANCES
from calm_needle.sim.setting_up import setting_up_s
from calm_needle.sim.technician import MANNERS, touch_of
from calm_needle.store import db, shelf
from calm_needle.store.db import transaction
from calm_needle.work.bench.rehearsal import MadeUpClock, rehearse, stand
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import shelf as shelf_work

Method = Literal["guided", "book"]
IF, DIAL, FRONT_END = "intermediate frequency", "oscillator and dial", "front end"
PHASES: dict[str, tuple[str, ...]] = {"if": (IF,), "dial": (DIAL,), "front-end": (FRONT_END,), "all": (IF, DIAL, FRONT_END)}
BEGAN = "2026-11-24T09:00:00.000Z"
LOOKS = 9
CLEAR, UP = 3.0, 4.0  # how far a tone stands above the hiss that one goes by; by how much the generator is turned up until it does


def score(
    content: bytes,
    *,
    name: str,
    seed: int,
    phase: str = "if",
    bands: Sequence[str] = (),
    misalign: Misalignment = "moderate",
    faults: Sequence[str] = (),
    method: Method = "guided",
    technician: str = "average",
    turns_known: bool = True,
    unrest: tuple[float, float] | None = None,
    truth: Any = None,
    pointer_mm: float | None = None,
) -> dict[str, Any]:
    """Return what a rehearsal came to. unrest: the needle's own (share of the reading, memory in s), instead of the receiver's. truth:
    what the set really is, from outside (sim.receiver.true_set). pointer_mm: how far its pointer comes back to a mark beside (standard
    deviation).

    Raises FileRefused for a dossier with faults, UnknownName for a fault, phase or band it does not have, FieldsRefused for what cannot be
    rehearsed.
    """
    if phase not in PHASES:
        raise UnknownName("phase", phase, known=PHASES)
    phases = PHASES[phase]
    if bands and phase == "if":
        raise FieldsRefused({"band": "The intermediate frequency is the same on every band: leave --band out."})
    conn = db.connect(db.IN_MEMORY)
    try:
        model = shelf_work.take_in_dossier(conn, content, name=name)
        for band in bands:
            if band not in {b.id for b in model.bands}:
                raise UnknownName("band", band, known=(b.id for b in model.bands))
        parts = {f["id"]: str(f["part"]) for f in model.simulation.get("faults", ())}
        known = (*parts, *DISTURBANCES)
        for fault in faults:
            if fault not in known:
                raise UnknownName("fault", fault, known=known)
        whole = read_model(filled_in(dict(model.raw))[0])
        receiver = PracticeReceiver(whole, seed=seed, misalign=misalign, faults=faults)
        if unrest:
            receiver.wander(share=unrest[0], memory_s=unrest[1])
        if pointer_mm is not None:
            receiver.dial.pointer = Pointer(Drive(pointer_mm), seed=seed)
        _as_after_what_comes_before(receiver, phases[0])
        if truth is not None:
            be_true(receiver, truth)
        as_found = receiver.truth()
        told = [b for b in model.bands if (not bands or b.id in bands) and b.id in receiver.dial.bands and phases != (IF,)]
        dials_found = {b.id: dial_truth(receiver, b).worst_hz for b in told}
        clock = MadeUpClock(from_text(BEGAN))
        if method == "book":
            found = _by_the_book(model, receiver, clock, phases=phases, bands=bands, seed=seed, technician=technician)
        else:
            hand = {"seed": seed, "turns_known": turns_known, "manner": MANNERS[technician]}
            found = _guided(conn, model, receiver, clock, phases=phases, bands=bands, hand=hand)
    finally:
        conn.close()
    truth = receiver.truth()
    # What any set can have, a hand near a wire and the like, accuses no part.
    accused = [parts[f] for f in faults if f in parts]
    named = [any(f["accuses"] == part or part.split("-")[0] in f["subject"] for f in found["findings"]) for part in accused]
    return {
        "dossier": model.key,
        "seed": seed,
        "method": method,
        "misalign": misalign,
        "technician": technician,
        "fault": list(faults),
        "minutes": round((seconds(clock()) - seconds(BEGAN)) / 60.0, 2),
        "touches": found["touches"],
        "rounds": found["rounds"],
        "if": {
            "nominal_hz": model.if_hz,
            "peak_hz": truth.peak_hz,
            "gain_found_db": round(as_found.loss_db - truth.best_loss_db, 4),
            "gain_left_db": round(truth.loss_db - truth.best_loss_db, 4),
            "forecast_db": found["forecast_db"],
        },
        "bands": [_band(model, receiver, b, found, found_hz=dials_found[b.id]) for b in told],
        "findings": found["findings"],
        "fault_named": all(named) if accused else None,
    }


def _as_after_what_comes_before(receiver: PracticeReceiver, phase: str) -> None:
    """Take what comes before a phase as done."""
    if phase in (DIAL, FRONT_END):
        receiver.align_strip()
    if phase == FRONT_END:
        for band in receiver.dial.bands.values():
            set_right(receiver, band)


def _band(model: Model, receiver: PracticeReceiver, band: Band, found: Mapping[str, Any], *, found_hz: float) -> dict[str, Any]:
    """What the receiver itself knows of a band in the end, and what the program said of it. found_hz: its worst error as it was found."""
    touches, said = found["touches"], found["dials"].get(band.id, {})
    dial, front_end, solved = dial_truth(receiver, band), front_end_truth(receiver, band), dial_band(model, band)
    if solved and said.get("pointer"):
        solved = replace(solved, pointer=Pointing(**said["pointer"]))
    return {
        "band": band.id,
        "dial_error_worst_found_hz": round(found_hz, 1),
        "dial_error_worst_hz": round(dial.worst_hz, 1),
        "dial_error_worst_at_hz": dial.worst_at_hz,
        "dial_error_rms_hz": round(dial.rms_hz, 1),
        "dial_least_possible_worst_hz": round(dial.least_worst_hz, 1),
        "pointer_u95_hz": round(K95 * (solved.pointer.sigma_mm * solved.hz_per_mm(dial.worst_at_hz) if solved else 0.0), 1),
        "padder_sigma_percent": None if said.get("padder_sigma") is None else round(100.0 * said["padder_sigma"], 2),
        "oscillator_touches": sum(touches.get(a, 0) for a in solved.adjusters.values()) if solved else 0,
        "tracking_loss_worst_db": round(front_end.loss_worst_db, 3),
        "tracking_least_loss_worst_db": round(front_end.least_loss_worst_db, 3),
        "sensitivity_v": front_end.sensitivity_v,
        "sensitivity_best_v": front_end.sensitivity_best_v,
        "on_image": dial.on_image,
    }


def _guided(
    conn: sqlite3.Connection,
    model: Model,
    receiver: PracticeReceiver,
    clock: MadeUpClock,
    *,
    phases: Sequence[str],
    bands: Sequence[str],
    hand: dict[str, Any],
) -> dict[str, Any]:
    row = shelf.model_by_key(conn, model.key)
    assert row is not None
    with transaction(conn):
        set_id = shelf.add_set(conn, model_id=row.id, serial="rehearsal", owner="", remarks="", at_utc=BEGAN)
        job_id = shelf.add_job(conn, set_id=set_id, complaint="to be rehearsed", bench="instruments", at_utc=BEGAN)
    touches: Counter[str] = Counter()
    out: dict[str, Any] = {"touches": touches, "rounds": {}, "findings": [], "dials": {}, "forecast_db": None}
    for phase in phases:
        run_id = begin_run(conn, job_id=job_id, phase=phase, bench="instruments", at_utc=clock(), bands=bands)
        book = RunBook(conn, run_id, clock=clock)
        with transaction(conn):
            rehearse(book, receiver, clock, **hand)
        found = _of_the_run(book)
        touches.update(found["touches"])
        out["rounds"] |= found["rounds"]
        out["findings"] += found["findings"]
        out["dials"] |= found["dials"]
        if phase == IF:
            out["forecast_db"] = found["forecast_db"]
    return {**out, "touches": dict(touches)}


def _of_the_run(book: RunBook) -> dict[str, Any]:
    turned = [v for v in book.state.visits if not v.superseded and v.outcome in ("take", "no_peak")]
    touches = Counter(a for v in turned for a in book.plan.step(v.step_id).adjusters)
    dials: dict[str, dict[str, Any]] = {}
    for decided in book.state.decisions:
        if said := decided.get("dial"):
            # What was first said of the padder was said before anything was turned.
            dials[said["band"]] = {**said, "padder_sigma": dials.get(said["band"], said).get("padder_sigma")}
    causes = {subject: cause for d in book.state.decisions for subject, cause in (d.get("dial") or {}).get("causes", ())}
    doubts = [(d["dial"]["band"], kind, d["sentence"]) for d in book.state.decisions for kind in (d.get("dial") or {}).get("doubts", ())]
    return {
        "dials": dials,
        "touches": dict(touches),
        "rounds": {g.id: len(rounds_of(book.state, g.id)) for g in book.plan.groups if g.repeat is not None},
        "findings": [
            *(
                {"subject": f.subject, "sentence": f.sentence, "accuses": f.accuses, "cause": causes.get(f.subject, "")}
                for f in book.findings()
            ),
            *({"subject": f"The dial on {band}", "sentence": said, "accuses": None, "cause": kind} for band, kind, said in doubts),
        ],
        "forecast_db": round(book.state.decisions[-1]["expected"], 4) if book.state.decisions else None,
    }


def _by_the_book(
    model: Model,
    receiver: PracticeReceiver,
    clock: MadeUpClock,
    *,
    phases: Sequence[str],
    bands: Sequence[str],
    seed: int,
    technician: str,
) -> dict[str, Any]:
    meter = Millivoltmeter(receiver, seed=seed, clock=lambda: seconds(clock()))
    counter = FrequencyCounter(receiver, seed=seed)
    level = {"v": 0.0, "at": 0.0}
    watched_unit = {"unit": "V"}
    at_step: list[Step] = []

    def volts() -> float:
        clock.go(by_the_book.READING_S)
        return float(meter.answer("MEAS:VOLT:AC?") or 0.0)

    def set_up(step: Step) -> None:
        clock.go(setting_up_s(step.set_up, at_step[-1].set_up if at_step else None, model=model))
        source, watched = step.set_up.source, step.set_up.watched
        at_step.append(step)
        stand(receiver, step.set_up)
        watched_unit["unit"] = watched.unit if watched else "V"
        if source is None:
            return
        level["v"] = level["at"] = source.level_v
        ease()

    def ease() -> None:
        source, watched = at_step[-1].set_up.source, at_step[-1].set_up.watched
        if source is None:
            return
        for _ in range(LOOKS):
            receiver.feed = Input(source.frequency_hz, level["at"], source.depth)
            meter.reset()
            move = keep_level(indicator_v=volts(), window_v=watched.window, level_v=level["at"]) if watched and watched.window else None
            # The ear tells the tone from the hiss: nobody peaks on hiss, but turns the generator up.
            heard = receiver.audio()
            if heard.tone_v < CLEAR * heard.noise_v and level["at"] < MOST_V:
                level["at"] = min(MOST_V, UP * level["at"])
            elif move is None:
                break
            else:
                level["at"] = move.level_v

    def read() -> float:
        if watched_unit["unit"] == "Hz":  # a beat, which is brought down
            clock.go(by_the_book.READING_S)
            return gain_db(from_v=1.0, to_v=1.0 + float(counter.answer("MEAS:FREQ?") or 0.0))
        return by_the_book.level_of(volts(), generator_v=level["at"], reference_v=level["v"])

    bench = by_the_book.Bench(set_up, read, receiver.turn, lambda a: touch_of(receiver.adjusters[a].travel_turns), ease, clock.go)
    turns = receiver.adjusters.__contains__
    touches: Counter[str] = Counter()
    rounds: dict[str, int] = {}
    for phase in phases:
        groups = [g for g in model.groups_of(phase) if not bands or _of_a_band(g) in (*bands, None)]
        done = by_the_book.work(groups, bench, seed=seed, manner=MANNERS[technician], turns=turns)
        touches.update(done.touches)
        rounds |= done.rounds
    return {"touches": dict(touches), "rounds": rounds, "findings": [], "dials": {}, "forecast_db": None}


def _of_a_band(group: Group) -> str | None:
    return group.steps[0].set_up.tuning.band
