"""peak: turn for a maximum. Done when it was passed and returned to."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import LevelJudge, level_offers

WORDS = {
    "crest": "on the crest, fall seen on both sides",
    "past": "taken below the crest that was seen",
    "rising": "taken while still rising",
    "two_humps": "taken on one of two humps",
}


def report(detail: Mapping[str, Any]) -> str:
    """Return how a peak that was taken reads in the record."""
    return WORDS.get(detail["verdict"], "taken, no crest seen")


KIND = StepKind(
    "peak",
    "Peak",
    partial(LevelJudge, goal="maximum"),
    sign="peak",
    needs=("adjusters", "indicator"),
    offers=level_offers,
    report=report,
)
