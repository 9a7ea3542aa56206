"""inspect: look, and answer. Done when answered."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import Offer, StepKind
from calm_needle.core.procedure.series import Seen

USUAL = ({"id": "yes", "words": "Yes", "good": True}, {"id": "no", "words": "No", "good": False})


class InspectJudge:
    """Asks `aim.question`; `aim.answers` are what it may be answered, yes and no where none are given."""

    def __init__(self, step: Step, context: Context) -> None:
        self._question = str(step.aim["question"])
        self._answers = answers_of(step)

    def add(self, seen: Seen) -> None:
        """Nothing is read."""

    def standing(self, moment: Moment) -> Standing:
        given = next((a for a in self._answers if a["id"] == moment.answer), None)
        good = next((a["id"] for a in self._answers if a.get("good")), self._answers[0]["id"])
        advice = Advice("calm", "eye", self._question, "Look, and answer by its key.")
        if given is None:
            return Standing("asked", advice, Move("answer", answer=good), refusal="Choose one of the answers.")
        return Standing("answered", advice, Move("rest"), may_take=True, detail={"answer": given["id"], "words": given["words"]})


def answers_of(step: Step) -> tuple[Mapping[str, Any], ...]:
    """Return what an inspection may be answered."""
    return tuple(step.aim.get("answers") or USUAL)


def offers(step: Step) -> tuple[Offer, ...]:
    """Return one act for each answer, on the keys 1, 2, 3 …"""
    return tuple(Offer("take", a["words"], str(i), "answer", a["id"]) for i, a in enumerate(answers_of(step), start=1))


def report(detail: Mapping[str, Any]) -> str:
    """Return how an answer reads in the record."""
    return f"answered: {detail['words']}"


KIND = StepKind(
    "inspect",
    "Look at",
    InspectJudge,
    sign="inspect",
    needs=("aim.question",),
    offers=offers,
    report=report,
    label="Look",
    asks_reading=False,
)
