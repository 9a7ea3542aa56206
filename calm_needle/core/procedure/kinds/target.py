"""target: set a value within a tolerance (a bias, a deviation, a power, a frequency). Done when it is inside, and stable."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.judge import Context
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.limits import LimitsJudge

WORDS = {
    "inside": "inside its tolerance",
    "settling": "inside, not seen to stay",
    "wandering": "its middle inside, it wanders",
    "low": "taken below it",
    "high": "taken above it",
}


def judge(step: Step, context: Context) -> LimitsJudge:
    """Return the judge of `aim.value` within `aim.tolerance`, both in the indicator's unit."""
    value, tolerance = step.aim["value"], step.aim["tolerance"]
    return LimitsJudge(step, context, low=value - tolerance, high=value + tolerance)


def report(detail: Mapping[str, Any]) -> str:
    """Return how a value that was taken reads in the record."""
    return WORDS.get(detail["verdict"], "taken")


KIND = StepKind("target", "Set", judge, sign="limits", reads="value", needs=("indicator", "aim.value", "aim.tolerance"), report=report)
