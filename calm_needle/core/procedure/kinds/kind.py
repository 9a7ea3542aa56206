"""What a kind of step is: how it is judged, worded, drawn, offered and recorded."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import Reads, Step
from calm_needle.core.procedure.judge import Context, Judge
from calm_needle.core.procedure.watch.peak_watch import Goal

# A bead's shape on the thread; the pages' sprite has one drawing for each.
Sign = Literal["peak", "null", "measure", "limits", "beat", "centre", "shape", "rock", "wait", "inspect", "ring"]


class Offer(NamedTuple):
    """An act that a step offers beside taking it: its name, the words on its button, its key; a field to send along; when.

    when: always; while the tool turns and nothing answers; while nobody counts the turns of what is turned.
    """

    act: str
    label: str
    key: str
    name: str = ""
    value: str = ""
    when: Literal["always", "slipping", "blind"] = "always"


def no_offers(_: Step) -> tuple[Offer, ...]:
    """Return no acts beside taking."""
    return ()


def just_taken(detail: Mapping[str, Any]) -> str:
    """Return the plainest words of the record."""
    return "taken"


def worded(words: Mapping[str, str]) -> Callable[[Mapping[str, Any]], str]:
    """Return a report that says what each verdict of a kind came to."""
    return lambda detail: words.get(str(detail.get("verdict")), just_taken(detail))


class SaidOfTheDial(NamedTuple):
    """What an outcome says of the dial: where the set received, how surely (Hz), and where the pointer stood, if not where it was set."""

    receives_hz: float
    sigma_hz: float
    dial_hz: float | None = None


def says_nothing_of_the_dial(_step: Step, _detail: Mapping[str, Any]) -> SaidOfTheDial | None:
    """Return None: most outcomes do not say where the set receives."""
    return None


@dataclass(frozen=True)
class StepKind:
    """A kind of step.

    verb: begins its title. judge: makes the judge of one stay. reads: how its readings compare when the dossier does not say.
    goal: which way is better. needs: paths of the dossier's step that it cannot do without, from "adjusters", "indicator",
    "generator" and keys of `aim`. offers: acts beside taking. report: how an outcome that was taken reads in the record.
    sign: its bead. label: its bead's words where no adjuster gives them. take: the words on the button that ends it.
    compares: it measures the set as it stands, so that
    before and after can be told. lower_limit: whether the indicator's lower limit holds for it. asks_frequency: typed readings
    say at which frequency. asks_reading: readings are wanted at all. hands_off_s: for so long (s) nothing is turned at its beginning, and
    the needle shows its own wander. ticks: it stands differently a second later without any. unwatched_every_s: how often (s) it
    is read while nobody looks, None where it is not. sweeps: the words on the button that has the generator stepped; asks: what is
    typed. dial: what an outcome that was taken says of the dial.
    """

    name: str
    verb: str
    judge: Callable[[Step, Context], Judge]
    sign: Sign
    reads: Reads = "level"
    goal: Goal = "maximum"
    needs: tuple[str, ...] = ("indicator",)
    offers: Callable[[Step], tuple[Offer, ...]] = no_offers
    report: Callable[[Mapping[str, Any]], str] = just_taken
    label: str = ""
    take: str = "Take it and go on"
    compares: bool = False
    lower_limit: bool = True
    asks_frequency: bool = False
    asks_reading: bool = True
    hands_off_s: float = 0.0
    ticks: bool = False
    unwatched_every_s: float | None = None
    sweeps: str = "Measure the pass-band"
    asks: str = "What the meter shows"
    dial: Callable[[Step, Mapping[str, Any]], SaidOfTheDial | None] = says_nothing_of_the_dial
