"""What of a journal is true now: one fold, asked by everything that says what is true of a job."""

import bisect
from collections.abc import Sequence
from typing import Literal, NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.registry import kinds_of_fact
from calm_needle.core.verdict import Verdict

DISCARD = "discard"
Status = Literal["valid", "discarded", "replaced", "invalidated"]


class State(NamedTuple):
    """A fact and whether it counts: valid; discarded by a person; replaced by a later one of the same thing; invalidated by what was done
    to its subject since. by: the fact that did so, None for a valid one. touched_by: the first later fact that touches what it rests on."""

    fact: Fact
    status: Status
    by: Fact | None = None
    touched_by: int | None = None


class Finding(NamedTuple):
    """What the facts of one kind say together of one subject: the last of them with its state, and the verdict."""

    state: State
    verdict: Verdict


def fold(facts: Sequence[Fact], model: Model) -> list[State]:
    """Return every fact with its state, in the order of the journal.

    A discarded fact replaces and invalidates nothing. A reading that was replaced and is invalidated too counts as replaced.
    """
    kinds = kinds_of_fact()
    discarded = {f.about: f for f in facts if f.kind == DISCARD}
    counting = [f for f in facts if f.id not in discarded]
    last = {_same(f): f for f in counting if kinds[f.kind].identity}
    touching = _Touching(counting, model)
    states = []
    for f in facts:
        kind = kinds[f.kind]
        newest = last.get(_same(f)) if kind.identity else None
        by = touching.first_after(f)
        touched_by = by.id if by else None
        if f.id in discarded:
            states.append(State(f, "discarded", discarded[f.id]))
        elif newest and newest.id != f.id:
            states.append(State(f, "replaced", newest, touched_by))
        elif by:
            states.append(State(f, "invalidated", by, touched_by))
        else:
            states.append(State(f, "valid"))
    return states


def why(state: State, model: Model) -> str:
    """Return why a fact does not count, in words; empty for a valid one."""
    return kinds_of_fact()[state.by.kind].line(state.by, model) if state.by else ""


def findings(states: Sequence[State], model: Model) -> list[Finding]:
    """Return the verdict on every subject that is judged, from its readings since the last time it was touched."""
    groups: dict[tuple[str, str], list[State]] = {}
    for state in states:
        if kinds_of_fact()[state.fact.kind].judge and state.status != "discarded":
            groups.setdefault((state.fact.kind, state.fact.subject), []).append(state)
    out = []
    for (name, _), group in groups.items():
        judge, last = kinds_of_fact()[name].judge, group[-1]
        if judge and (verdict := judge([s.fact for s in group if s.touched_by == last.touched_by], model)):
            out.append(Finding(last, verdict))
    return out


def _same(fact: Fact) -> tuple[object, ...]:
    identity = kinds_of_fact()[fact.kind].identity
    return (fact.kind, *identity(fact)) if identity else (fact.kind, fact.id)


class _Touching:
    """What touched each subject, in order; and what each kind of reading of a subject rests on, asked once."""

    def __init__(self, counting: Sequence[Fact], model: Model) -> None:
        self._model = model
        self._by: dict[str, list[Fact]] = {}
        self._rests_on: dict[tuple[str, str], frozenset[str]] = {}
        for f in counting:
            for touched in kinds_of_fact()[f.kind].touches(f, model):
                self._by.setdefault(touched, []).append(f)

    def first_after(self, fact: Fact) -> Fact | None:
        """The first fact after one that touches what it rests on."""
        if not self._by:
            return None
        key = (fact.kind, fact.subject)
        if key not in self._rests_on:
            self._rests_on[key] = kinds_of_fact()[fact.kind].rests_on(fact.subject, self._model)
        found = []
        for subject in self._rests_on[key] & self._by.keys():
            by = self._by[subject]
            if (i := bisect.bisect_right(by, fact.id, key=lambda f: f.id)) < len(by):
                found.append(by[i])
        return min(found, key=lambda f: f.id, default=None)
