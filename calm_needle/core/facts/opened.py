"""The open list: every fact that wants something, one row each, the worst first."""

from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.fold import Finding, State, why
from calm_needle.core.facts.kind import Context, Want
from calm_needle.core.facts.registry import kinds_of_fact
from calm_needle.core.verdict import Verdict


class Open(NamedTuple):
    """One row: the fact, and what it wants."""

    fact: Fact
    want: Want


def open_now(states: Sequence[State], found: Sequence[Finding], model: Model) -> list[Open]:
    """Return what a journal leaves to be done: its facts with their states, and what its readings say (`fold.findings`).

    What was discarded or replaced wants nothing. A finding whose subject was worked on since wants to be measured again: that a repair has
    done its work, only a reading says.
    """
    context = Context(model, [s.fact for s in states if s.status != "discarded"])
    kinds = kinds_of_fact()
    asked: list[tuple[State, Verdict | None]] = [(s, None) for s in states if s.status == "valid" and not kinds[s.fact.kind].judge]
    asked += [(f.state, f.verdict) for f in found]
    rows = []
    for state, context.verdict in asked:
        kind = kinds[state.fact.kind]
        if want := kind.wants(state.fact, context):
            if state.status == "invalidated":
                words = f"{want.words} Since then: {why(state, model)}."
                want = Want(words, "Measure again", kind.screen, want.rank)
            rows.append(Open(state.fact, want))
    return sorted(rows, key=lambda row: row.want.rank)
