"""What the bench page shows, worked out from the run and the instruments: words, numbers as shown, and where the needle stands.

`snapshot` is the part that changes with every reading and goes down the stream; `page` is the rest. No HTML in here.
"""

import statistics
from dataclasses import asdict
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice, advise
from calm_needle.core.procedure.level_keeper import LevelMove
from calm_needle.core.procedure.needle_scale import scale_for
from calm_needle.core.procedure.phases import PHASES
from calm_needle.core.quantities import format_db, split_si
from calm_needle.core.soundness.cautions import LAST_WORD, cautions_for
from calm_needle.store.runs import ReadingRow
from calm_needle.work.bench.bench_thread import gains, since_start, thread, thread_title
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.bench.set_up_card import set_up_card
from calm_needle.work.clock import seconds
from calm_needle.work.instruments.live_bench import LiveBench

TRAIL_S = 30.0
TRAIL_POINTS = 400
INSTRUMENT_NAMES = {
    "generator": "Generator",
    "ac-millivoltmeter": "A.c. millivoltmeter",
    "multimeter": "Multimeter",
    "lcr-meter": "LCR meter",
    "practice-set": "Practice set",
}
STATE_WORDS = {"absent": "absent", "ready": "ready", "lost": "not there", "silent": "does not answer", "odd": "answers oddly"}


class Action(NamedTuple):
    """An act the page offers: its name, the words on its button, its key."""

    act: str
    label: str
    key: str


def main_action(book: RunBook, bench: LiveBench | None) -> Action:
    """Return the one act that Enter does now."""
    state, step = book.state, book.step
    if state.stage == "set_up":
        return Action("set", "Set it all" if bench and bench.can_set else "It is all set", "Enter")
    if state.stage == "decision":
        return Action("again", "Go round again", "Enter") if book.rounds_verdict().go_on else Action("stop", "Stop here", "Enter")
    if state.stage == "complete":
        return Action("finish", "Finish, and see before and after", "Enter")
    if state.stage == "finished":
        return Action("record", "See before and after", "Enter")
    if book.level_move() is not None:
        return Action("level", "Set the level" if bench and bench.can_set else "The level is set", "Enter")
    if step is not None and step.kind == "check" and bench and bench.can_set and "passband" in step.measures and not _swept(book, step):
        return Action("sweep", "Measure the pass-band", "Enter")
    return Action("take", "Take it and go on", "Enter")


def snapshot(book: RunBook, bench: LiveBench | None) -> dict[str, Any]:
    """Return what changes with every reading."""
    now, start = book.seen.now(), book.seen.start_db()
    last = book.seen.watched[-1] if book.seen.watched else None
    verdict = book.seen.verdict
    advice = _advice(book, bench)
    shown = _shown(last)
    out: dict[str, Any] = {
        "visit": book.state.visit.id if book.state.visit else None,
        "reading": None,
        "needle": None,
        "advice": asdict(advice),
        "verdict": verdict.kind,
        "links": [{"kind": s.kind, "state": s.state, "words": f"{INSTRUMENT_NAMES[s.kind]} {STATE_WORDS[s.state]}"} for s in _links(bench)],
        "sweep": bench.sweep_done if bench else None,
        "core": _core(bench, book),
    }
    if last and now and start is not None:
        at_db = book.seen.decibels(last) - start
        turning = book.step is not None and book.step.kind != "check"
        crest = verdict.crest_db - start if turning and verdict.crest_db is not None and verdict.kind != "waiting" else None
        seen = [book.seen.decibels(r) - start for r in book.seen.watched[-TRAIL_POINTS:]]
        scale = scale_for(lowest_db=min([*seen, 0.0]), highest_db=max([*seen, 0.0]), goal=book.seen.goal)
        out["reading"] = {
            "id": last.id,
            "at": seconds(last.at_utc),
            "number": shown[0],
            "unit": shown[1],
            "gain": format_db(at_db),
            "gain_db": round(at_db, 3),
        }
        out["needle"] = {
            "at_db": round(at_db, 3),
            "wedge_db": round(_unrest(book), 3),
            "crest_db": None if crest is None else round(crest, 3),
            "crest_at": verdict.crest_time_s,
            "crest_seen": verdict.peak_seen,
            "scale": scale._asdict(),
        }
    return out


def page(book: RunBook, bench: LiveBench | None) -> dict[str, Any]:
    """Return what stands still between two acts."""
    state, step = book.state, book.step
    start = book.seen.start_db()
    done = book.phases_done()
    model = book.placed_model()
    adjuster = model.adjuster(step.adjusters[0]) if step and step.adjusters else None
    return {
        "run": book.run,
        "job": book.job,
        "model": model,
        "stage": state.stage,
        "step": step,
        "visit_id": state.visit.id if state.visit else None,
        "title": _title(book),
        "subtitle": _subtitle(book),
        "adjuster": adjuster,
        "main": main_action(book, bench),
        "decision": book.rounds_verdict() if state.stage == "decision" else None,
        "gains": gains(book) if state.stage == "decision" else [],
        "thread": thread(book),
        "thread_title": thread_title(book),
        "since_start": since_start(book),
        "set_up": set_up_card(book, step, on_instruments=bool(bench and bench.can_set)),
        "level_move": book.level_move(),
        "cautions": cautions_for(safety_class=book.model.safety_class, hazards=step.hazards if step else ()),
        "last_word": LAST_WORD,
        "phases": [{"name": p.short, "now": p.name == book.run.phase, "done": p.name in done} for p in PHASES if not p.if_needed],
        "practice": bool(bench and bench.has_practice_set),
        "instruments": bench is not None,
        "waxed_answer": book.seen.verdict.kind == "flat",
        "trail": [
            {"at": seconds(r.at_utc), "db": round(book.seen.decibels(r) - (start or 0.0), 3)} for r in book.seen.watched[-TRAIL_POINTS:]
        ],
        "typed": [_typed_row(book, r) for r in reversed(book.seen.kept) if r.kind in ("typed", "marked")][:8],
        "can_go_back": any(v.outcome and not v.superseded for v in state.visits) and state.stage != "finished",
        "notes": book.notes(),
        "scale": scale_for(lowest_db=0.0, highest_db=0.0, goal=book.seen.goal)._asdict(),
        "no_sweep": step is not None and step.kind == "check" and not (bench and bench.can_set),
        "why": step.why if step else "",
    }


def _swept(book: RunBook, step: Step) -> bool:
    return len(book.seen.sweep_points()) >= step.passband_points


def _advice(book: RunBook, bench: LiveBench | None) -> Advice:
    state, step = book.state, book.step
    if bench and bench.trouble:
        return Advice("danger", "stop", "Readings cannot be kept.", bench.trouble)
    trouble = next((s for s in _links(bench) if s.state != "ready"), None)
    if trouble and state.stage in ("step", "set_up"):
        return Advice("danger", "unplugged", f"{INSTRUMENT_NAMES[trouble.kind]}: {STATE_WORDS[trouble.state]}.", trouble.words)
    if state.stage == "set_up":
        return Advice("calm", "set", "Set what the card says.", "Nothing is turned before dial, level and lead are confirmed.")
    if state.stage == "decision":
        verdict = book.rounds_verdict()
        return Advice("live" if verdict.go_on else "good", "round", verdict.sentence, verdict.evidence)
    if state.stage == "complete":
        return Advice("good", "crest", "All steps of this phase are done.", "Finish the run, and look at before and after.")
    if state.stage == "finished":
        return Advice("good", "crest", "This run is finished.", "Its record can be printed.")
    assert step is not None
    move = book.level_move()
    if move is not None:
        return _level_advice(move)
    if step.kind == "check":
        return _check_advice(book, step, bench)
    adjuster = book.model.adjuster(step.adjusters[0])
    return advise(book.seen.verdict, phrase=adjuster.phrase, goal=book.seen.goal, start_db=book.seen.start_db())


def _level_advice(move: LevelMove) -> Advice:
    return Advice("watch", "level", move.sentence, move.evidence)


def _check_advice(book: RunBook, step: Step, bench: LiveBench | None) -> Advice:
    if bench and bench.sweep_done is not None:
        return Advice(
            "live", "measure", "Measuring the pass-band.", f"{100 * bench.sweep_done:.0f} % done. Hands off the leads and the set."
        )
    band = book.seen.passband()
    if band and _swept(book, step):
        width = f", {band.width_hz / 1e3:.2f} kHz wide at −6 dB" if band.width_hz else ""
        return Advice("good", "measure", "Measured. Take it and go on.", f"Highest at {band.peak_hz / 1e3:.2f} kHz{width}.")
    if not book.seen.watched:
        return Advice("calm", "measure", "Read the meter.", "Touch no adjuster: this is the set as it stands.")
    if bench and bench.can_set:
        return Advice("calm", "measure", "Measure the pass-band.", "The generator is stepped over it. Touch no adjuster before.")
    return Advice("good", "measure", "Take the reading.", "The pass-band needs a generator that the program can set; it is left out.")


def _links(bench: LiveBench | None) -> list[Any]:
    return bench.states if bench else []


def _core(bench: LiveBench | None, book: RunBook) -> dict[str, Any] | None:
    if bench is None or not bench.has_practice_set or bench.position is None or book.step is None or not book.step.adjusters:
        return None
    known = [r.turns for r in book.seen.watched if r.turns is not None]
    begun = known[0] if known else bench.position.turns
    return {"turns": round(bench.position.turns - begun, 4), "at_stop": bench.position.at_stop, "travel": bench.position.travel}


def _shown(reading: ReadingRow | None) -> tuple[str, str]:
    if reading is None:
        return "", ""
    if reading.unit == "dB":
        return format_db(reading.value), "dB"
    return split_si(reading.value, unit=reading.unit, digits=3)


def _unrest(book: RunBook) -> float:
    """The standard deviation of the last second's readings (dB): how wide the wedge behind the pointer is."""
    last = book.seen.watched[-1]
    if last.kind != "live":
        return 0.0  # a person reads the middle of the needle's unrest
    until = seconds(last.at_utc)
    recent = [book.seen.decibels(r) for r in book.seen.watched[-25:] if until - seconds(r.at_utc) <= 1.0 and r.turns == last.turns]
    return statistics.stdev(recent) if len(recent) > 2 else 0.0


def _title(book: RunBook) -> str:
    match book.state.stage:
        case "decision":
            return "Go round again, or stop?"
        case "complete":
            return "All done here"
        case "finished":
            return "Finished"
        case "set_up":
            return "Set up first"
    assert book.step is not None
    return book.step.title


def _subtitle(book: RunBook) -> str:
    step = book.step
    if step is None:
        place = book.state.place
        if book.state.stage == "decision" and place:
            return f"Round {place.round} of {book.plan.group(place.group_id).title} is through."
        return {
            "complete": "Nothing of this phase is left open.",
            "finished": "The readings and what came of them are kept.",
        }.get(book.state.stage, "")
    if book.state.stage == "set_up":
        return f"For: {step.title[0].lower()}{step.title[1:]}."
    if not step.adjusters:
        return step.why
    adjuster = book.model.adjuster(step.adjusters[0])
    remark = f" {adjuster.remarks.capitalize()}." if adjuster.remarks else ""
    return f"From {adjuster.side}, {adjuster.tool}. It tunes {adjuster.tunes}.{remark}"


def _typed_row(book: RunBook, reading: ReadingRow) -> dict[str, Any]:
    start = book.seen.start_db()
    number, unit = _shown(reading)
    change = format_db(book.seen.decibels(reading) - start) if start is not None else ""
    return {"id": reading.id, "number": number, "unit": unit, "gain": change, "kind": reading.kind, "struck": reading.struck}
