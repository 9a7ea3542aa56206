"""The thread of a run on the bench page: its steps as beads, what each round gained, what was gained since the start."""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.run import Place, rounds_of
from calm_needle.core.quantities import format_db, format_plain, format_si
from calm_needle.work.bench.run_book import RunBook


def thread(book: RunBook) -> list[dict[str, Any]]:
    """The beads: what is done, what is in hand, what comes."""
    state = book.state
    beads = []
    at = book.plan.index(state.place.group_id) if state.place else len(book.plan.groups)
    for index, group in enumerate(book.plan.groups):
        if group.dropped:
            continue
        current = index == at
        number = state.place.round if current and state.place else _last_round(book, group.id)
        for step in group.steps:
            visit = state.last_visit(Place(group.id, step.id, number))
            here = current and step is book.step
            beads.append(_bead(book, step, here=here, outcome=visit.outcome if visit else None, detail=visit.detail if visit else {}))
        if group.decides and index >= at:
            deciding = current and state.stage == "decision"
            beads.append({"label": "What to do", "sign": "round", "state": "now" if deciding else "next", "gain": "", "word": "decision"})
        if group.repeat is not None and index >= at:
            deciding = current and state.stage == "decision"
            label = "Another round?" if not current else f"After round {number}"
            beads.append({"label": label, "sign": "round", "state": "now" if deciding else "next", "gain": "", "word": "decision"})
    return beads


def thread_title(book: RunBook) -> str:
    """What stands over the thread: the group in hand, or its round."""
    state = book.state
    if state.place is None:
        return "All groups are through"
    group = book.plan.group(state.place.group_id)
    if group.derived_from and group.anew:
        return f"{group.title}, again: {group.derived_from}"
    if group.repeat is None:
        return group.title
    ordinal = ("", "First", "Second", "Third", "Fourth", "Fifth", "Sixth")
    number = ordinal[state.place.round] if state.place.round < len(ordinal) else f"{state.place.round}th"
    return f"{number} round: {group.title}"


def since_start(book: RunBook) -> dict[str, str] | None:
    """What was gained since the first measurement, at equal generator level; None before there are two to compare."""
    taken = [v for v in book.state.visits if v.outcome == "take" and not v.superseded]
    # From the first time that the set was measured as it stood.
    began = next((i for i, v in enumerate(taken) if KINDS[book.plan.step(v.step_id).kind].compares), len(taken))
    taken = taken[began:]
    if not taken or "level_db" not in taken[0].detail:
        return None
    first = taken[0]
    set_up = book.plan.step(first.step_id).set_up
    step = book.step
    now = book.seen.series.now() if step and step.set_up == set_up else None
    same = [v for v in taken if book.plan.step(v.step_id).set_up == set_up and "level_db" in v.detail]
    level = now.measure if now and book.seen.series.reads == "level" else same[-1].detail["level_db"]
    steps = [book.plan.step(v.step_id) for v in taken]
    touched = {s.adjusters[0] for s in steps if s.adjusters}
    stops = sum(v.outcome == "no_peak" and not v.superseded for v in book.state.visits)
    if not touched:
        return {"gain": format_db(level - first.detail["level_db"]), "words": "no core peaked yet"}
    words = f"{len(touched)} {'core' if len(touched) == 1 else 'cores'} peaked, {stops if stops else 'none'} without a peak"
    return {"gain": format_db(level - first.detail["level_db"]), "words": words}


def gains(book: RunBook) -> list[dict[str, Any]]:
    """What each adjuster of the group gained in each round, for the table beside the decision."""
    assert book.state.place is not None
    group = book.plan.group(book.state.place.group_id)
    done = rounds_of(book.state, group.id)
    unit = group.repeat.unit if group.repeat else "dB"
    rows = []
    for index, step in enumerate(group.steps):
        cells = [cores[index].gain if index < len(cores) else None for cores in done]
        rows.append({"name": bead_label(book, step), "cells": ["no peak" if c is None else _amount(c, unit) for c in cells]})
    return rows


def _amount(value: float, unit: str) -> str:
    return format_db(value, places=2) if unit == "dB" else format_si(value, unit=unit, digits=3)


def bead_label(book: RunBook, step: Step) -> str:
    """How the thread names a step: by its adjuster, or by what its kind does."""
    names = [book.model.adjuster(a).name for a in step.adjusters]
    dial_hz = step.set_up.tuning.dial_hz
    where = f"at {format_plain(dial_hz, unit='Hz', digits=5)}" if dial_hz else step.title
    return KINDS[step.kind].label or " + ".join(names) or where


def _last_round(book: RunBook, group_id: str) -> int:
    rounds = [v.place.round for v in book.state.visits if v.place.group_id == group_id and v.outcome and not v.superseded]
    return max(rounds, default=1)


def _bead(book: RunBook, step: Step, *, here: bool, outcome: str | None, detail: Any) -> dict[str, Any]:
    label = bead_label(book, step)
    gain = ""
    if outcome == "take" and detail.get("gain_db") is not None:
        gain = format_db(detail["gain_db"])
    words = {"take": "done", "no_peak": "no peak", "skip": "left out"}
    if here:
        state, word = "now", "in hand"
    elif outcome:
        state, word = outcome, words[outcome]
    else:
        state, word = "next", "to come"
    return {"label": label, "sign": KINDS[step.kind].sign, "state": state, "gain": gain, "word": word}
