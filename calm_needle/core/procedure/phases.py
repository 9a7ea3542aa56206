"""The phases of a job, in the order of the work: the one list that dossiers, gates and pages go by."""

from typing import NamedTuple

from calm_needle.errors import UnknownName


class Phase(NamedTuple):
    """One phase of a job.

    short: how a bar names it. page: the screen that is its own, or "" for one worked through at the bench or by hand.
    words: what its page is for. gated: nothing of it begins before the set is sound. led: a run leads through its steps.
    noun: what its steps are about, in a sentence. if_needed: called for by a step that cannot be met, and not otherwise. look:
    the screen on which its results are looked at.
    """

    name: str
    short: str
    page: str = ""
    words: str = ""
    gated: bool = False
    led: bool = False
    noun: str = "the set"
    if_needed: bool = False
    look: str = ""


PHASES: tuple[Phase, ...] = (
    Phase("intake", "Intake", "intake", "papers, purpose, earlier hands, consent"),
    Phase("safe start", "Safe start", "start", "behind a limiter, rung by rung, rails watched while they warm"),
    Phase("health", "Health", "parts", "by what is measured: every part, every band"),
    Phase("fault finding", "Faults", if_needed=True),
    Phase("intermediate frequency", "IF", gated=True, led=True, noun="the IF strip"),
    Phase("oscillator and dial", "Oscillator", gated=True, led=True, noun="the dial", look="dial"),
    Phase("front end", "Front end", gated=True, led=True, noun="the front end"),
    Phase("verification", "Verify", gated=True, led=True, noun="the set"),
    Phase("record", "Record"),
)
PHASE_NAMES: tuple[str, ...] = tuple(phase.name for phase in PHASES)
_BY_NAME = {phase.name: phase for phase in PHASES}


def phase_named(name: str) -> Phase:
    """Return the phase of that name. Raises UnknownName."""
    if name not in _BY_NAME:
        raise UnknownName("phase", name, known=PHASE_NAMES)
    return _BY_NAME[name]
