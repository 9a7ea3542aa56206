"""alternate: one of a pair or ring of adjusters that pull on each other. Each is peaked; that they are repeated is the group's rule."""

from functools import partial

from calm_needle.core.procedure.kinds import peak
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import HANDS_OFF_S, LevelJudge, level_offers

KIND = StepKind(
    "alternate",
    "Set",
    partial(LevelJudge, goal="maximum"),
    sign="ring",
    needs=("adjusters", "indicator"),
    offers=level_offers,
    hands_off_s=HANDS_OFF_S,
    report=peak.report,
    dial=peak.said_of_the_dial,
)
