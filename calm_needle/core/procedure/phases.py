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
    doors: the pages on which it is worked on or looked at. by_hand: what is asked, with a figure, of somebody who says that it was done by
    hand; empty where nothing is.
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
    by_hand: str = ""
    at_will: bool = False


PHASES: tuple[Phase, ...] = (
    Phase(
        "intake",
        "Intake",
        "intake",
        "papers, purpose, earlier hands, consent",
        doors=(Door("intake", "papers and purpose", "Take it in"),),
        at_will=True,
    ),
    Phase(
        "safe start",
        "Safe start",
        "start",
        "behind a limiter, rung by rung, rails watched while they warm",
        doors=(Door("start", "the start and its log", "Start it safely"),),
        by_hand="Which rails stood at how many volts, after how many minutes",
    ),
    Phase(
        "health",
        "Health",
        "parts",
        "by what is measured: every part, every band",
        doors=(Door("parts", "parts", "Sweep the parts"), Door("bands", "every band", "Every band")),
    ),
    Phase("fault finding", "Faults", if_needed=True, doors=(Door("guided", "guided work"), Door("repairs", "changes"))),
    Phase(
        *("intermediate frequency", "IF"),
        gated=True,
        led=True,
        noun="the IF strip",
        by_hand="At which frequency it peaks, and what it gained",
    ),
    Phase(
        *("oscillator and dial", "Oscillator"),
        gated=True,
        led=True,
        noun="the dial",
        doors=(Door("dial", "the dial, band by band"),),
        by_hand="How far the dial is out, at which marks",
    ),
    Phase(*("front end", "Front end"), gated=True, led=True, noun="the front end", by_hand="Which level each band needs now, and what for"),
    Phase(
        *("verification", "Verify", "verify"),
        words="by named definitions, with the covers on",
        gated=True,
        led=True,
        noun="the set",
        doors=(Door("verify", "measurements", "Verify it"),),
        by_hand="What was measured, by which definition, its figures",
    ),
    Phase(
        *("record", "Record", "job_record"),
        words="the whole of it on one page, and its papers",
        doors=(Door("job_record", "record and papers", "Record and certificate"),),
    ),
)
PHASE_NAMES: tuple[str, ...] = tuple(phase.name for phase in PHASES)
_BY_NAME = {phase.name: phase for phase in PHASES}


def phase_named(name: str) -> Phase:
    """Return the phase of that name. Raises UnknownName."""
    if name not in _BY_NAME:
        raise UnknownName("phase", name, known=PHASE_NAMES)
    return _BY_NAME[name]
