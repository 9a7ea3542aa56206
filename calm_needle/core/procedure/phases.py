"""The phases of a job, in the order of the work: the one list that dossiers, gates and pages go by."""

from typing import NamedTuple

from calm_needle.errors import UnknownName


class Door(NamedTuple):
    """A page on which a phase is worked on or its results are looked at: the screen, what a link to it says, and what the button says that
    leads on, where it is the way on."""

    screen: str
    words: str
    go: str = ""


class Phase(NamedTuple):
    """One phase of a job.

    short: how a bar names it. page: the screen that is its own, or "" for one worked through at the bench or by hand.
    words: what its page is for. gated: nothing of it begins before the set is sound. led: a run leads through its steps.
    noun: what its steps are about, in a sentence. if_needed: called for by a step that cannot be met, and not otherwise.
    doors: the pages on which it is worked on or looked at.
    """

    name: str
    short: str
    page: str = ""
    words: str = ""
    gated: bool = False
    led: bool = False
    noun: str = "the set"
    if_needed: bool = False
    doors: tuple[Door, ...] = ()


PHASES: tuple[Phase, ...] = (
    Phase(
        "intake", "Intake", "intake", "papers, purpose, earlier hands, consent", doors=(Door("intake", "papers and purpose", "Take it in"),)
    ),
    Phase(
        "safe start",
        "Safe start",
        "start",
        "behind a limiter, rung by rung, rails watched while they warm",
        doors=(Door("start", "the start and its log", "Start it safely"),),
    ),
    Phase(
        "health",
        "Health",
        "parts",
        "by what is measured: every part, every band",
        doors=(Door("parts", "parts", "Sweep the parts"), Door("bands", "every band", "Every band")),
    ),
    Phase("fault finding", "Faults", if_needed=True, doors=(Door("guided", "guided work"), Door("repairs", "changes"))),
    Phase("intermediate frequency", "IF", gated=True, led=True, noun="the IF strip"),
    Phase("oscillator and dial", "Oscillator", gated=True, led=True, noun="the dial", doors=(Door("dial", "the dial, band by band"),)),
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
