"""peak: turn for a maximum. Done when it was passed and returned to."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.kinds.kind import SaidOfTheDial, StepKind
from calm_needle.core.procedure.kinds.level import HANDS_OFF_S, LevelJudge, level_offers
from calm_needle.core.procedure.watch.peak_watch import TAKEN

PEAKED_TO_HZ = 250.0  # how well a peak finds a frequency, of an ordinary strip
EVIDENCE = {
    "proven": "on the crest, crossed twice",
    "twice": "twice at one height, way of the hand unknown",
}
# Verdicts that are not on a crest; two of them only in runs of earlier versions, whose crests were crossed once.
WORDS = {
    "crest": "on the crest, fall seen on both sides",
    "return": "taken below the crest that was seen",
    "hold": "taken before the needle had come to rest",
    "by_itself": "taken, the needle moved as much with hands off",
    "past": "taken below the crest that was seen",
    "rising": "taken while still rising",
    "two_humps": "taken on one of two humps",
}


def report(detail: Mapping[str, Any]) -> str:
    """Return how a peak that was taken reads in the record."""
    on_it = EVIDENCE.get(detail.get("evidence", "")) if detail["verdict"] in TAKEN else None
    return on_it or WORDS.get(detail["verdict"], "taken, no crest seen")


def said_of_the_dial(step: Step, detail: Mapping[str, Any]) -> SaidOfTheDial | None:
    """Return where the set received once it was peaked, with an adjuster of its oscillator: at the generator's frequency."""
    source = step.set_up.source
    return SaidOfTheDial(source.frequency_hz, PEAKED_TO_HZ) if source and detail["verdict"] in TAKEN else None


KIND = StepKind(
    "peak",
    "Peak",
    partial(LevelJudge, goal="maximum"),
    sign="peak",
    needs=("adjusters", "indicator"),
    offers=level_offers,
    hands_off_s=HANDS_OFF_S,
    report=report,
    dial=said_of_the_dial,
)
