"""What a kind of fact is: how it reads, what makes two of them the same thing, what it invalidates and what it asks for."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact, subject
from calm_needle.core.verdict import Verdict

# How soon a fact that wants something wants it, the worst first.
DANGER, FAULT, UNTESTED, COMPLAINT, SUSPECTED, LATER = range(6)

Touches = frozenset[str]
NOTHING: Touches = frozenset()


class Want(NamedTuple):
    """What a fact asks for: the finding in words, the next act as a button says it, the page for it, and how soon. anchor: the part of that
    page. points_to: what it is evidence of, for the fault-finding guides."""

    words: str
    act: str
    screen: str
    rank: int = FAULT
    anchor: str = ""
    points_to: str = ""


class Context:
    """What a kind may know when it is asked what a fact wants: the service data, the facts that count, and the verdict on the fact's
    subject, for a kind that is judged."""

    def __init__(self, model: Model, counting: Sequence[Fact]) -> None:
        """counting: in the order of the journal."""
        self.model = model
        self.verdict: Verdict | None = None
        self._about: dict[int, list[Fact]] = {}
        self._last: dict[str, int] = {}
        for f in counting:
            if f.about is not None:
                self._about.setdefault(f.about, []).append(f)
            self._last[f.kind] = f.id

    def answers(self, fact: Fact) -> list[Fact]:
        """Return the facts about a fact, in their order."""
        return self._about.get(fact.id, [])

    def came_later(self, fact: Fact, kind: str) -> bool:
        """Return whether a fact of a kind came after a fact."""
        return self._last.get(kind, 0) > fact.id


def every_stage(subject_: str, model: Model) -> Touches:
    """Return every stage of the receiver: what a reading from the aerial to the loudspeaker rests on."""
    return frozenset(subject("stage", s.id) for s in model.stages)


@dataclass(frozen=True)
class FactKind:
    """A kind of fact.

    name: as the journal stores it. title: what it is called in a list. screen: the page on which it is entered.
    line: how a fact reads, in one line. identity: what makes two facts the same thing, so that the later takes the place of the earlier;
    None where facts of the kind accumulate. touches: the subjects whose earlier readings it invalidates. rests_on: the subjects by which a
    reading of a subject is invalidated; empty for statements and acts.
    judge: what the facts of one subject say together, oldest first, of those since it was last touched. wants: what one fact asks for, or
    None; of a kind that is judged, the last fact of each subject is asked.
    """

    name: str
    title: str
    screen: str
    line: Callable[[Fact, Model], str]
    identity: Callable[[Fact], tuple[object, ...]] | None = None
    touches: Callable[[Fact, Model], Touches] = lambda fact, model: NOTHING
    rests_on: Callable[[str, Model], Touches] = lambda subject_, model: NOTHING
    judge: Callable[[Sequence[Fact], Model], Verdict | None] | None = None
    wants: Callable[[Fact, Context], Want | None] = lambda fact, context: None
