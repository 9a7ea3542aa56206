"""Rehearsals: a phase gone through on a practice receiver by a modelled hand, and what it cost and how close it came.

if: nominal_hz, peak_hz; gain_left_db (to the best that this receiver can do); forecast_db (what the last decision expected of another
round). A touch is one spell of turning an adjuster that ends in taking or leaving it.
"""

from collections import Counter
from collections.abc import Sequence
from typing import Any, Literal

from calm_needle.core.dossier.model import Model, Step
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.procedure.level_keeper import keep_level
from calm_needle.core.procedure.run import rounds_of
from calm_needle.errors import FieldsRefused, UnknownName
from calm_needle.sim import by_the_book
from calm_needle.sim.instruments.counter import FrequencyCounter
from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.receiver.practice import Input, Misalignment, PracticeReceiver
from calm_needle.sim.receiver.unrest import DISTURBANCES
from calm_needle.sim.technician import MANNERS
from calm_needle.store import db, shelf
from calm_needle.store.db import transaction
from calm_needle.work.bench.rehearsal import MadeUpClock, rehearse, stand
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.clock import from_text, seconds
from calm_needle.work.jobs import shelf as shelf_work

Method = Literal["guided", "book"]
PHASES = {"if": "intermediate frequency"}
NOT_YET = ("dial", "front-end", "all")
BEGAN = "2026-11-24T09:00:00.000Z"
LOOKS = 4


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
) -> dict[str, Any]:
    """Return what a rehearsal came to. unrest: the needle's own (share of the reading, memory in s), instead of the receiver's.

    Raises FileRefused for a dossier with faults, UnknownName for a fault it does not have, FieldsRefused for what cannot be rehearsed.
    """
    if phase not in PHASES:
        raise FieldsRefused({"phase": f"The practice receiver cannot be rehearsed in “{phase}” yet; only in: {', '.join(PHASES)}."})
    if bands:
        raise FieldsRefused({"band": "The intermediate frequency is the same on every band: leave --band out."})
    conn = db.connect(db.IN_MEMORY)
    try:
        model = shelf_work.take_in_dossier(conn, content, name=name)
        parts = {f["id"]: str(f["part"]) for f in model.simulation.get("faults", ())}
        known = (*parts, *DISTURBANCES)
        for fault in faults:
            if fault not in known:
                raise UnknownName("fault", fault, known=known)
        receiver = PracticeReceiver(model, seed=seed, misalign=misalign, faults=faults)
        if unrest:
            receiver.wander(share=unrest[0], memory_s=unrest[1])
        clock = MadeUpClock(from_text(BEGAN))
        if method == "book":
            found = _by_the_book(model, receiver, clock, phase=PHASES[phase], seed=seed, technician=technician)
        else:
            row = shelf.model_by_key(conn, model.key)
            assert row is not None
            with transaction(conn):
                set_id = shelf.add_set(conn, model_id=row.id, serial="rehearsal", owner="", remarks="", at_utc=BEGAN)
                job_id = shelf.add_job(conn, set_id=set_id, complaint="to be rehearsed", bench="instruments", at_utc=BEGAN)
            run_id = begin_run(conn, job_id=job_id, phase=PHASES[phase], bench="instruments", at_utc=clock())
            book = RunBook(conn, run_id, clock=clock)
            with transaction(conn):
                rehearse(book, receiver, clock, seed=seed, turns_known=turns_known, manner=MANNERS[technician])
            found = _of_the_run(book)
    finally:
        conn.close()
    truth = receiver.truth()
    # What any set can have, a hand near a wire and the like, accuses no part.
    accused = [parts[f] for f in faults if f in parts]
    named = [any(part.split("-")[0] in f["subject"] for f in found["findings"]) for part in accused]
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
            "gain_left_db": round(truth.loss_db - truth.best_loss_db, 4),
            "forecast_db": found["forecast_db"],
        },
        "bands": [],
        "findings": found["findings"],
        "fault_named": all(named) if accused else None,
    }


def _of_the_run(book: RunBook) -> dict[str, Any]:
    turned = [v for v in book.state.visits if not v.superseded and v.outcome in ("take", "no_peak")]
    touches = Counter(a for v in turned for a in book.plan.step(v.step_id).adjusters)
    return {
        "touches": dict(touches),
        "rounds": {g.id: len(rounds_of(book.state, g.id)) for g in book.plan.groups if g.repeat is not None},
        "findings": [{"subject": f.subject, "sentence": f.sentence, "accuses": None} for f in book.findings()],
        "forecast_db": round(book.state.decisions[-1]["expected"], 4) if book.state.decisions else None,
    }


def _by_the_book(model: Model, receiver: PracticeReceiver, clock: MadeUpClock, *, phase: str, seed: int, technician: str) -> dict[str, Any]:
    meter = Millivoltmeter(receiver, seed=seed, clock=lambda: seconds(clock()))
    counter = FrequencyCounter(receiver, seed=seed)
    level = {"v": 0.0, "at": 0.0}
    watched_unit = {"unit": "V"}

    def volts() -> float:
        clock.go(by_the_book.READING_S)
        return float(meter.answer("MEAS:VOLT:AC?") or 0.0)

    def set_up(step: Step) -> None:
        clock.go(by_the_book.SETTING_UP_S)
        source, watched = step.set_up.source, step.set_up.watched
        stand(receiver, step.set_up)
        watched_unit["unit"] = watched.unit if watched else "V"
        if source is None:
            return
        level["v"] = level["at"] = source.level_v
        for _ in range(LOOKS):
            receiver.feed = Input(source.frequency_hz, level["at"], source.depth)
            meter.reset()
            move = keep_level(indicator_v=volts(), window_v=watched.window, level_v=level["at"]) if watched and watched.window else None
            if move is None:
                break
            level["at"] = move.level_v

    def read() -> float:
        if watched_unit["unit"] == "Hz":  # a beat, which is brought down
            clock.go(by_the_book.READING_S)
            return gain_db(from_v=1.0, to_v=1.0 + float(counter.answer("MEAS:FREQ?") or 0.0))
        return by_the_book.level_of(volts(), generator_v=level["at"], reference_v=level["v"])

    bench = by_the_book.Bench(set_up, read, receiver.turn, clock.go)
    turns = receiver.adjusters.__contains__
    done = by_the_book.work(model, phase, bench, seed=seed, manner=MANNERS[technician], turns=turns)
    return {"touches": done.touches, "rounds": done.rounds, "findings": [], "forecast_db": None}
