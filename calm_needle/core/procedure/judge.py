"""What a judge of a step is asked and what it answers, whatever the kind of step."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple, Protocol

from calm_needle.core.dossier.model import Model, Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.closing import AS_YET, SoFar
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.series import Seen, Series

Way = Literal["search", "turn_back", "approach", "rest", "slipping", "read", "sweep", "wait", "answer"]


class Move(NamedTuple):
    """What is to be done next, for whoever cannot read a sentence: the page's main act, the tone, a modelled hand.

    turns: signed, to where the adjuster should stand, where that is known. short: how far short of the best it is, in the measure.
    answer: what a hand may answer. near_s: at the pace of now it is there in so many seconds.
    """

    way: Way
    turns: float | None = None
    short: float | None = None
    answer: str | None = None
    near_s: float | None = None


class Marks(NamedTuple):
    """What is marked on the needle's scale, in the measure: the best so far, whether it counts as seen; the limits that are wanted."""

    best: float | None = None
    best_at_s: float | None = None
    best_seen: bool = False
    low: float | None = None
    high: float | None = None


NO_MARKS = Marks()


class Moment(NamedTuple):
    """What a judge cannot know from readings: the time (s, as of the readings), when the stay began, whether the program can sweep,
    how much of a running sweep is done (0..1), and what a person answers."""

    t_s: float
    began_s: float = 0.0
    can_sweep: bool = False
    sweeping: float | None = None
    answer: str | None = None


class Swing(NamedTuple):
    """Over which frequencies the generator is stepped next: the middle, the whole width (Hz), how many places."""

    centre_hz: float
    span_hz: float
    points: int


@dataclass(frozen=True)
class Standing:
    """How a step stands.

    verdict: the judge's own word, never shown and never matched by anybody else. may_take: it is done as it should be.
    refusal: why it cannot be taken at all, or "". doubt: the question to ask before it is taken all the same. detail: what is kept
    of it beside the reading when it is taken. nothing: finding and evidence, where it may be recorded that nothing is to be found.
    bring_back: what is to be done first, where it would then be left otherwise than it was found.
    finding: what is found wrong, and its evidence, to be recorded when it is taken after something was turned. swing: over what the
    generator is stepped next, when not over the step's own pass-band. finest_turns: how little the adjuster has to be moved by at a time
    to come as near as is asked, where that is known.
    """

    verdict: str
    advice: Advice
    move: Move
    may_take: bool = False
    refusal: str = ""
    doubt: str = "It is not yet as it should be. Take it all the same?"
    marks: Marks = NO_MARKS
    nothing: tuple[str, str] | None = None
    bring_back: str = ""
    finding: tuple[str, str] | None = None
    figure: Figure | None = None
    swing: Swing | None = None
    finest_turns: float | None = None
    detail: Mapping[str, Any] = field(default_factory=dict)


class Judge(Protocol):
    """Judges one stay at a step; same readings, same standing. The series is added to before the judge is."""

    def add(self, seen: Seen) -> None: ...

    def standing(self, moment: Moment) -> Standing: ...


@dataclass(frozen=True)
class Context:
    """What a judge may know beside its step: the model, the readings as they compare, what the run has done before."""

    model: Model
    series: Series
    so_far: SoFar = AS_YET


def swing_for(step: Step, standing: Standing | None) -> Swing | None:
    """Return over what the generator is stepped next: what the standing asks for, or the step's own pass-band; None for a step without."""
    if standing and standing.swing:
        return standing.swing
    source = step.set_up.source
    return Swing(source.frequency_hz, step.passband_span_hz, step.passband_points) if source and step.passband_points else None
