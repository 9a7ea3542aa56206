"""The thread of a run on the bench page: its steps as beads, what each round gained, what was gained since the start."""

from typing import Any

from calm_needle.core.dossier.model import Group, Step
from calm_needle.core.procedure.run import Cursor, rounds_of
from calm_needle.core.quantities import format_db
from calm_needle.work.bench.run_book import RunBook


def thread(book: RunBook) -> list[dict[str, Any]]:
    """The beads: what is done, what is in hand, what comes."""
    state = book.state
    beads = []
    for index, group in enumerate(book.groups):
        current = index == state.cursor.group
        number = state.cursor.round if current else _last_round(book, index)
        for position, step in enumerate(group.steps):
            place = Cursor(index, position, number)
            visit = state.last_visit(place)
            here = current and position == state.cursor.step and state.stage in ("step", "set_up")
            beads.append(_bead(book, step, here=here, outcome=visit.outcome if visit else None, detail=visit.detail if visit else {}))
        if group.gain_below_db is not None and (current or index > state.cursor.group):
            deciding = current and state.stage == "decision"
            label = "Another round?" if not current else f"After round {number}"
            beads.append({"label": label, "kind": "round", "state": "now" if deciding else "next", "gain": "", "word": "decision"})
    return beads


def thread_title(book: RunBook) -> str:
    """What stands over the thread: the group in hand, or its round."""
    state = book.state
    if state.cursor.group >= len(book.groups):
        return "All groups are through"
    group: Group = book.groups[state.cursor.group]
    if group.gain_below_db is None:
        return group.title
    ordinal = ("", "First", "Second", "Third", "Fourth", "Fifth", "Sixth")
    number = ordinal[state.cursor.round] if state.cursor.round < len(ordinal) else f"{state.cursor.round}th"
    return f"{number} round, from the detector back"


def since_start(book: RunBook) -> dict[str, str] | None:
    """What was gained since the first measurement, at equal generator level; None before there are two to compare."""
    taken = [v for v in book.state.visits if v.outcome == "take" and not v.superseded]
    if not taken or "level_db" not in taken[0].detail:
        return None
    first = taken[0]
    group = book.groups[first.cursor.group].steps[first.cursor.step].set_up
    step = book.step
    now = book.seen.now() if step and step.set_up == group else None
    same = [v for v in taken if book.groups[v.cursor.group].steps[v.cursor.step].set_up == group]
    level = now[0] if now else same[-1].detail["level_db"]
    steps = [book.groups[v.cursor.group].steps[v.cursor.step] for v in taken]
    touched = {s.adjusters[0] for s in steps if s.adjusters}
    stops = sum(v.outcome == "no_peak" and not v.superseded for v in book.state.visits)
    if not touched:
        return {"gain": format_db(level - first.detail["level_db"]), "words": "no core peaked yet"}
    words = f"{len(touched)} {'core' if len(touched) == 1 else 'cores'} peaked, {stops if stops else 'none'} without a peak"
    return {"gain": format_db(level - first.detail["level_db"]), "words": words}


def gains(book: RunBook) -> list[dict[str, Any]]:
    """What each adjuster of the group gained in each round, for the table beside the decision."""
    group = book.state.cursor.group
    done = rounds_of(book.groups, book.state, group)
    rows = []
    for index, step in enumerate(book.groups[group].steps):
        cells = [cores[index].gain_db if index < len(cores) else None for cores in done]
        name = book.model.adjuster(step.adjusters[0]).name
        rows.append({"name": name, "cells": ["no peak" if c is None else format_db(c, places=2) for c in cells]})
    return rows


def _last_round(book: RunBook, group: int) -> int:
    rounds = [v.cursor.round for v in book.state.visits if v.cursor.group == group and v.outcome and not v.superseded]
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
