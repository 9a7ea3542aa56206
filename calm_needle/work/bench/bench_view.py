"""What the bench page shows, worked out from the run and the instruments: words, numbers as shown, and where the needle stands.

`snapshot` is the part that changes with every reading and goes down the stream; `page` is the rest. No HTML in here, and nothing
of a kind of step: all of that comes from its table.
"""

from dataclasses import asdict
from itertools import takewhile
from typing import Any, NamedTuple

from calm_needle.bench.kinds import KINDS, STATE_WORDS
from calm_needle.clock import seconds
from calm_needle.core.dossier.fit import set_card
from calm_needle.core.dossier.model import Adjuster
from calm_needle.core.procedure.advice import Advice, Tone
from calm_needle.core.procedure.judge import Marks, Standing
from calm_needle.core.procedure.needle import needle_of, trail_of
from calm_needle.core.procedure.phases import PHASES
from calm_needle.core.procedure.set_up import settings
from calm_needle.core.quantities import format_db, format_plain, format_si, split_si
from calm_needle.core.soundness.cautions import LAST_WORD, cautions_for
from calm_needle.store.runs import ReadingRow
from calm_needle.work.bench import trace_view
from calm_needle.work.bench.bench_thread import gains, since_start, thread, thread_title
from calm_needle.work.bench.decision_view import decision_view
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.instruments.live_bench import LiveBench

NOTED_S = 0.5  # by which readings say something of the way that the hand goes now
LOWEST_PITCH_DB, HIGHEST_PITCH_DB = -12.0, 18.0  # of the tone, whatever is read


DIGITS = {"Hz": 6}  # of a reading in large: a counter's are worth reading


COARSE, FINE, LONG = 0.05, 0.01, 6.0  # turns, of a touch; of what has less travel than LONG, a turn is a lot
HAND, LEAST_TOUCH = 0.0004, 0.0001  # turns, that a hand with a long tool moves such a one by; and the least of all
TURNED_FINELY = ("trimmer", "padder")  # kinds of adjuster of which a degree is a lot


class Action(NamedTuple):
    """An act the page offers: its name, the words on its button, its key; a field that goes along."""

    act: str
    label: str
    key: str
    name: str = ""
    value: str = ""


class Facts(NamedTuple):
    """What the bench can do for the step in hand, and is doing."""

    can_sweep: bool = False
    sweeping: float | None = None


class Away(NamedTuple):
    """Why a run that works with instruments does not have them: what reads there now and the number of its run; empty and 0 for nobody."""

    holder: str
    run_id: int


def facts(bench: LiveBench | None) -> Facts:
    return Facts(bench.can_set, bench.sweep_done) if bench else Facts()


def main_action(book: RunBook, bench: LiveBench | None, away: Away | None = None) -> Action:
    """Return the one act that Enter does now."""
    state, step = book.state, book.step
    if away and state.stage in ("step", "set_up"):
        return Action("bench", "Take the bench over" if away.holder else "Take the bench", "Enter", "over", str(away.run_id))
    if state.stage == "set_up":
        return Action("set", "Set it all" if bench and bench.can_set else "It is all set", "Enter")
    if state.stage == "decision" and (decision := book.decision()) is not None:
        option = decision.option(decision.advised)
        assert option is not None
        return Action("decide", option.label, "Enter", "option", option.id)
    if state.stage == "decision":
        return Action("again", "Go round again", "Enter") if book.rounds_verdict().go_on else Action("stop", "Stop here", "Enter")
    if state.stage == "complete" and book.unmet():
        return Action("round", "Go round again", "Enter")
    if state.stage == "complete":
        return Action("finish", "Finish, and see before and after", "Enter")
    if state.stage == "finished":
        return Action("record", "See before and after", "Enter")
    if book.level_move() is not None:
        return Action("level", "Set the level" if bench and bench.can_set else "The level is set", "Enter")
    standing = book.standing(**facts(bench)._asdict())
    if standing and step and standing.move.way == "answer" and book.seen.kind:
        return Action(*book.seen.kind.offers(step)[0][:5])
    if standing and standing.move.way == "sweep":
        return Action("sweep", book.seen.kind.sweeps if book.seen.kind else "Sweep", "Enter")
    return Action("take", book.seen.kind.take if book.seen.kind else "Go on", "Enter")


def snapshot(book: RunBook, bench: LiveBench | None, in_hand: str | None, away: Away | None = None) -> dict[str, Any]:
    """Return what changes with every reading. in_hand: the adjuster that is being turned; away: why it does not have the bench."""
    series = book.seen.series
    last = book.seen.watched[-1] if book.seen.watched else None
    standing = book.standing(**facts(bench)._asdict())
    out: dict[str, Any] = {
        "visit": book.state.visit.id if book.state.visit else None,
        "reading": None,
        "needle": None,
        "advice": asdict(_advice(book, bench, standing, away)),
        "verdict": standing.verdict if standing else "waiting",
        "way": standing.move.way if standing else "read",
        "slipped": book.seen.slipped,
        "links": [{"kind": s.kind, "state": s.state, "name": KINDS[s.kind].short} for s in _links(bench)],
        "sweep": bench.sweep_done if bench else None,
        "core": _core(bench, book, in_hand, standing),
    }
    if last:
        needle = needle_of(series, standing.marks if standing else Marks(), book.seen.kind.goal if book.seen.kind else "maximum")
        number, unit = _shown(last)
        at = needle.at or 0.0
        out["reading"] = {
            "id": last.id,
            "at": seconds(last.at_utc),
            "number": number,
            "unit": unit,
            "change": _change(book, at),
            "pitch_db": round(_pitch(book, at, needle.scale.low, needle.scale.high), 3),
            "v": round(at, 4),
        }
        out["needle"] = {**_rounded(needle._asdict()), "best_at_s": needle.best_at_s, "scale": needle.scale._asdict()}
    return out


def page(book: RunBook, bench: LiveBench | None, in_hand: str | None, away: Away | None = None) -> dict[str, Any]:
    """Return what stands still between two acts."""
    state, step, kind = book.state, book.step, book.seen.kind
    done = book.phases_done()
    model = book.placed_model()
    standing = book.standing(**facts(bench)._asdict())
    needle = needle_of(book.seen.series, standing.marks if standing else Marks(), kind.goal if kind else "maximum")
    can_set = bool(bench and bench.can_set)
    about_rounds = state.stage == "decision" and book.decision() is None
    return {
        "run": book.run,
        "job": book.job,
        "model": model,
        "card": set_card(model),
        "stage": state.stage,
        "step": step,
        "kind": kind,
        "visit_id": state.visit.id if state.visit else None,
        "here": book.here,
        "title": _title(book),
        "subtitle": _subtitle(book),
        "adjuster": model.adjuster(in_hand) if in_hand else None,
        "adjusters": _adjusters(book) if step else [],
        "main": main_action(book, bench, away),
        "offers": kind.offers(step) if kind and step and state.stage == "step" else (),
        "decision": book.rounds_verdict() if about_rounds else None,
        "choices": decision_view(book.decision()),
        "listens": format_plain(listens_hz, unit="Hz") if (listens_hz := book.listens_hz) else "",
        "gains": gains(book) if about_rounds else [],
        "thread": thread(book),
        "thread_title": thread_title(book),
        "left_out": book.plan.left_out,
        "since_start": since_start(book),
        "trace": trace_view.about(step) if state.stage == "step" and bench and bench.equipment.has("oscilloscope") else None,
        "power": book.power(),
        "set_up": _set_up(book, can_set=can_set),
        "level_move": book.level_move(),
        "cautions": cautions_for(safety_class=book.model.safety_class, hazards=step.hazards if step else ()),
        "last_word": LAST_WORD,
        "phases": [{"name": p.short, "now": p.name == book.run.phase, "done": p.name in done} for p in PHASES if not p.if_needed],
        "practice": bool(bench and bench.has_practice_set),
        "instruments": bench is not None or away is not None,
        "trail": [{"at": at, "v": round(v, 4)} for at, v in trail_of(book.seen.series, needle)],
        "trail_unit": needle.unit,
        "response": [{"f": f, "v": round(v, 3)} for f, v in book.seen.series.response()],
        "reads": kind.asks_reading if kind and state.stage == "step" else book.decision() is None and not book.unmet(),
        "typed": [_typed_row(book, r) for r in reversed(book.seen.kept) if r.kind in ("typed", "marked", "sweep")][:8],
        "units": book.seen.units,
        "change_words": _change_words(book),
        "blind": state.blind or not (bench and in_hand and bench.position_of(in_hand)),
        "turns_hidden": state.blind,
        "hand_off": state.hand.way == 0,
        "can_go_back": state.reopens() is not None and state.stage != "finished",
        "notes": book.notes(),
        "scale": needle.scale._asdict(),
        "why": step.why if step else "",
        "set_aside": _set_aside(book),
        "unmet": book.unmet() if state.stage == "complete" else [],
    }


# What is said of a set that gives nothing to compare: off, stopped, or on behind a limiter.
SILENT = {"off": "The set is off.", "stopped": "The set is off: its start was stopped.", "on": "The set is not at full power."}


def _set_aside(book: RunBook) -> str:
    """What is said of acts of the run that do not fit it; empty where all do."""
    acts = [f"“{a.kind}”, {a.at_utc[:10]} {a.at_utc[11:16]} UTC" for a in book.set_aside]
    return f"Set aside, for it does not fit this run: {'; '.join(acts)}. The run goes on without it." if acts else ""


def rested_words(since_utc: str, until_utc: str) -> str:
    """What is said to whoever comes back to a bench that has not read meanwhile; the time of day in UTC, as all of the log is."""
    return f"No page showed this run from {since_utc[11:16]} to {until_utc[11:16]} UTC: readings stopped. They have started again."


def _advice(book: RunBook, bench: LiveBench | None, standing: Standing | None, away: Away | None) -> Advice:
    state = book.state
    if away and state.stage in ("step", "set_up"):
        return _away(away)
    if bench and bench.trouble:
        return Advice("danger", "stop", "Readings cannot be kept.", bench.trouble)
    trouble = next((s for s in _links(bench) if s.state != "ready"), None)
    if trouble and state.stage in ("step", "set_up"):
        return Advice("danger", "unplugged", f"{KINDS[trouble.kind].name}: {STATE_WORDS[trouble.state]}.", trouble.words)
    if state.stage in ("step", "set_up") and (silent := book.silent()):
        return Advice("danger", "unplugged", SILENT[book.power().state], silent)
    if state.stage == "set_up":
        return Advice("calm", "set", "Set what the card says.", "Nothing is turned before dial, level and lead are confirmed.")
    if state.stage == "decision" and (decision := book.decision()) is not None:
        return Advice(decision.tone, "crest" if decision.tone == "good" else "round", decision.sentence, decision.evidence)
    if state.stage == "decision":
        verdict = book.rounds_verdict()
        tone: Tone = "live" if verdict.go_on else "watch" if verdict.flat else "good"
        return Advice(tone, "round", verdict.sentence, verdict.evidence)
    if state.stage == "complete" and (left := book.unmet()):
        return Advice("watch", "round", f"Not done: {left[0]}", " ".join([*left[1:], "Go round again, or finish with a reason."]))
    if state.stage == "complete":
        return Advice("good", "crest", "All steps of this phase are done.", "Finish the run, and look at before and after.")
    if state.stage == "finished":
        return Advice("good", "crest", "This run is finished.", "Its record can be printed.")
    move = book.level_move()
    if move is not None:
        return Advice("watch", "level", move.sentence, move.evidence)
    assert standing is not None
    return _noted(book) or standing.advice


def _away(away: Away) -> Advice:
    """What is said on the page of a run that does not have the bench."""
    if away.holder:
        evidence = (
            "Nothing is set or read for this run meanwhile. Take the bench over if its set is the one there: the other run then stops."
        )
        return Advice("watch", "unplugged", f"The bench is in use by {away.holder}.", evidence)
    evidence = "Nothing is set or read before. See that its set is the one on the bench; then take it."
    return Advice("watch", "unplugged", "This run does not have the bench.", evidence)


def _noted(book: RunBook) -> Advice | None:
    """The answer to the key, until the readings after it can tell anything: the direction of the hand was understood.

    Only where the kind of step judges by that direction. Where a frequency is sought, the next reading alone tells whether it helps, and
    an answer that hides it would let the hand go past.
    """
    way, seen = book.state.hand.way, book.seen.watched
    if way is None or not seen or seen[-1].turns is not None or not (book.seen.kind and book.seen.kind.hands_off_s):
        return None
    if seen[-1].way == way:
        first = seen[-1]
        for first in takewhile(lambda r: r.way == way, reversed(seen)):
            if seconds(seen[-1].at_utc) - seconds(first.at_utc) >= NOTED_S:
                return None
        if seen[-1].kind != "live" or first is seen[0]:
            return None
    if way == 0:
        return Advice("calm", "clock", "Hands off: noted.", "What the needle does now, no turning does.")
    return Advice("live", "turn_back", "Turning back: noted. Slowly.", "What is read from now on belongs to the way back.")


def _links(bench: LiveBench | None) -> list[Any]:
    return bench.states if bench else []


def _set_up(book: RunBook, *, can_set: bool) -> list[dict[str, Any]]:
    """The rows of the set-up card; `changed` marks what the step before had otherwise."""
    step = book.step
    if step is None:
        return []
    level = book.state.level_v if book.state.stage == "step" else None
    rows = settings(step.set_up, book.state.set_up_done, model=book.model, level_v=level)
    return [{**row._asdict(), "pads": () if can_set else row.pads} for row in rows]


def _adjusters(book: RunBook) -> list[dict[str, str]]:
    """The adjusters of the step in hand, each with its part in it."""
    step = book.step
    assert step is not None
    return [{"id": a, "name": book.model.adjuster(a).name, "role": step.roles.get(a, "")} for a in step.adjusters]


def touches(adjuster: Adjuster, *, finest_turns: float | None) -> tuple[float, float]:
    """Return by how many turns one touch of the virtual adjuster turns it, and one fine touch. finest_turns: what the step asks for."""
    travel = adjuster.travel_turns if adjuster.kind in TURNED_FINELY else None
    coarse, fine = (COARSE, FINE) if travel is None or travel >= LONG else (travel * COARSE / 10.0, min(HAND, travel * FINE / 20.0))
    return coarse, fine if finest_turns is None else max(LEAST_TOUCH, min(fine, finest_turns))


def _core(bench: LiveBench | None, book: RunBook, in_hand: str | None, standing: Standing | None) -> dict[str, Any] | None:
    position = bench.position_of(in_hand) if bench and in_hand else None
    if position is None or in_hand is None:
        return None
    adjuster = book.model.adjuster(in_hand)
    coarse, fine = touches(adjuster, finest_turns=standing.finest_turns if standing else None)
    where = {"at_stop": position.at_stop, "travel": position.travel, "coarse_turns": coarse, "fine_turns": fine}
    if book.state.blind:
        return {"turns": round(position.turns, 4), **where, "hidden": True}
    begun = next((s.turns[in_hand] for s in book.seen.series.watched if in_hand in s.turns), position.turns)
    return {"turns": round(position.turns - begun, 4), **where}


def _shown(reading: ReadingRow) -> tuple[str, str]:
    if reading.unit == "dB":
        return format_db(reading.value), "dB"
    return split_si(reading.value, unit=reading.unit, digits=DIGITS.get(reading.unit, 3))


def _change(book: RunBook, at: float) -> str:
    """How far it is from where it began, or from what is wanted, as the line under the reading says it."""
    series, step = book.seen.series, book.step
    if series.reads == "level":
        return f"{format_db(at)} dB"
    now, aim = series.now(), step.aim if step else {}
    if now is None:
        return ""
    wanted = aim.get("value", aim.get("nominal_hz", series.centre if series.reads == "offset" else None))
    return "" if wanted is None else format_si(now.value - wanted, unit=series.unit, digits=3, signed=True)


def _change_words(book: RunBook) -> str:
    series, step = book.seen.series, book.step
    if step is None:
        return ""
    if series.reads == "level":
        return "from where this core began" if step.adjusters else "from the first reading"
    aim = step.aim
    return "from what is wanted" if series.reads == "offset" or {"value", "nominal_hz"} & aim.keys() else ""


def _pitch(book: RunBook, at: float, low: float, high: float) -> float:
    """How high the listening tone is (dB of its scale): a level as it is, anything else by its place on the needle's scale."""
    if book.seen.series.reads == "level":
        return at
    return LOWEST_PITCH_DB + (HIGHEST_PITCH_DB - LOWEST_PITCH_DB) * (at - low) / ((high - low) or 1.0)


def _rounded(values: dict[str, Any]) -> dict[str, Any]:
    return {k: round(v, 4) if isinstance(v, float) else v for k, v in values.items()}


def _title(book: RunBook) -> str:
    match book.state.stage:
        case "decision":
            decision = book.decision()
            return decision.title if decision else "Go round again, or stop?"
        case "complete":
            return "All steps done" if book.unmet() else "All done here"
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
        if book.state.stage == "decision" and place and book.decision() is not None:
            return "Read. What is to be done?"
        if book.state.stage == "decision" and place:
            return f"Round {place.round} of {book.plan.group(place.group_id).title} is through."
        return {
            "complete": "Something is outside its limits." if book.unmet() else "Nothing of this phase is left open.",
            "finished": "The readings and what came of them are kept.",
        }.get(book.state.stage, "")
    if book.state.stage == "set_up":
        return f"For: {step.title[0].lower()}{step.title[1:]}."
    if not step.adjusters:
        return step.why
    return " ".join(_where(book.model.adjuster(a), step.roles.get(a, "")) for a in step.adjusters)


def _where(adjuster: Adjuster, role: str) -> str:
    remark = f" {adjuster.remarks[0].upper()}{adjuster.remarks[1:]}." if adjuster.remarks else ""
    by = f"The {adjuster.name}{f', {role}' if role else ''}: turned {adjuster.tool}."
    if adjuster.kind == "tuning":
        return by
    start = f"{adjuster.name}, {role}: from" if role else "From"
    return f"{start} {adjuster.side}, {adjuster.tool}. It tunes {adjuster.tunes}.{remark}"


def _typed_row(book: RunBook, reading: ReadingRow) -> dict[str, Any]:
    series = book.seen.series
    start = series.start()
    number, unit = _shown(reading)
    change = f"{format_db(book.seen.measure(reading) - start)} dB" if start is not None and series.reads == "level" else ""
    if reading.kind == "sweep" and reading.generator_hz:
        change = f"at {format_si(reading.generator_hz, unit='Hz', digits=5)}"
    return {"id": reading.id, "number": number, "unit": unit, "gain": change, "kind": reading.kind, "struck": reading.struck}
