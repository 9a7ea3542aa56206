"""What the owner complains of, and the retest that closes it."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import COMPLAINT, Context, FactKind, Want
from calm_needle.core.soundness.complaints import SETTLING


def _complaint(fact: Fact, model: Model) -> str:
    place = fact.detail["place"]
    return f"“{fact.detail['words']}”{f', {place}' if place else ''}"


def _retest(fact: Fact, model: Model) -> str:
    cover = fact.detail.get("cover")
    return f"{fact.detail['outcome']}: {fact.detail['words']}{f', covers {cover}' if cover else ''}"


def _wants(fact: Fact, context: Context) -> Want | None:
    tests = context.answers(fact)
    if tests and tests[-1].detail["outcome"] in SETTLING:
        return None
    state = f"still there, {tests[-1].detail['words']}" if tests else "not retested"
    return Want(f"Complaint “{fact.detail['words']}”: {state}.", "Retest complaint", "job", COMPLAINT, anchor="complaints")


KINDS = (
    FactKind("complaint", "Complaint", "job", _complaint, wants=_wants),
    FactKind("retest", "Retest of a complaint", "job", _retest, identity=lambda fact: (fact.about,)),
)
