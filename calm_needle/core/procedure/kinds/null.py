"""null: turn for a minimum (a trap, a carrier balance, neutralising). Done like a peak; goes into the noise, and that is its purpose."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from calm_needle.core.procedure.kinds import peak
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import HANDS_OFF_S, LevelJudge, level_offers


def report(detail: Mapping[str, Any]) -> str:
    """Return how a null that was taken reads in the record."""
    return (
        peak.report(detail)
        .replace("crest, fall", "null, rise")
        .replace("on the crest", "in the null")
        .replace("crest", "null")
        .replace("height", "depth")
    )


KIND = StepKind(
    "null",
    "Null",
    partial(LevelJudge, goal="minimum"),
    sign="null",
    goal="minimum",
    needs=("adjusters", "indicator"),
    offers=level_offers,
    hands_off_s=HANDS_OFF_S,
    report=report,
    lower_limit=False,
)
