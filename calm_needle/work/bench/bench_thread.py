"""The thread of a run on the bench page: its steps as beads, what each round gained, what was gained since the start."""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.run import Place, rounds_of
from calm_needle.core.quantities import format_db
from calm_needle.work.bench.run_book import RunBook


def thread(book: RunBook) -> list[dict[str, Any]]:
    """The beads: what is done, what is in hand, what comes."""
    state = book.state
    beads = []
    at = book.plan.index(state.place.group_id) if state.place else len(book.plan.groups)
    for index, group in enumerate(book.plan.groups):
        current = index == at
        number = state.place.round if current and state.place else _last_round(book, group.id)
        for step in group.steps:
            visit = state.last_visit(Place(group.id, step.id, number))
            here = current and step is book.step
            beads.append(_bead(book, step, here=here, outcome=visit.outcome if visit else None, detail=visit.detail if visit else {}))
        if group.gain_below_db is not None and index >= at:
            deciding = current and state.stage == "decision"
            label = "Another round?" if not current else f"After round {number}"
            beads.append({"label": label, "kind": "round", "state": "now" if deciding else "next", "gain": "", "word": "decision"})
    return beads


def thread_title(book: RunBook) -> str:
    """What stands over the thread: the group in hand, or its round."""
    state = book.state
    if state.place is None:
        return "All groups are through"
    group = book.plan.group(state.place.group_id)
    if group.gain_below_db is None:
        return group.title
    ordinal = ("", "First", "Second", "Third", "Fourth", "Fifth", "Sixth")
    number = ordinal[state.place.round] if state.place.round < len(ordinal) else f"{state.place.round}th"
    return f"{number} round, from the detector back"


def since_start(book: RunBook) -> dict[str, str] | None:
    """What was gained since the first measurement, at equal generator level; None before there are two to compare."""
    taken = [v for v in book.state.visits if v.outcome == "take" and not v.superseded]
    if not taken or "level_db" not in taken[0].detail:
        return None
    first = taken[0]
    set_up = book.plan.step(first.step_id).set_up
    step = book.step
    now = book.seen.now() if step and step.set_up == set_up else None
    same = [v for v in taken if book.plan.step(v.step_id).set_up == set_up]
    level = now[0] if now else same[-1].detail["level_db"]
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
    rows = []
    for index, step in enumerate(group.steps):
        cells = [cores[index].gain_db if index < len(cores) else None for cores in done]
        name = book.model.adjuster(step.adjusters[0]).name
        rows.append({"name": name, "cells": ["no peak" if c is None else format_db(c, places=2) for c in cells]})
    return rows


def _last_round(book: RunBook, group_id: str) -> int:
    rounds = [v.place.round for v in book.state.visits if v.place.group_id == group_id and v.outcome and not v.superseded]
    return max(rounds, default=1)


def _bead(book: RunBook, step: Step, *, here: bool, outcome: str | None, detail: Any) -> dict[str, Any]:
    label = book.model.adjuster(step.adjusters[0]).name if step.adjusters else {"check": "Measure"}.get(step.kind, step.title)
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
    return {"label": label, "kind": step.kind, "state": state, "gain": gain, "word": word}
