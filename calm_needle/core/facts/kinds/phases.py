"""The phases of a job: what was begun, done or reopened, and a gate that was waived."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import FactKind


def _phase(fact: Fact, model: Model) -> str:
    state, remark = fact.detail["state"], fact.detail["remark"]
    name = f"{fact.subject_id[0].upper()}{fact.subject_id[1:]}"
    return f"{name}: {state}{f', {remark}' if remark else ''}"


KINDS = (
    FactKind("phase", "Phase", "job", _phase, identity=lambda fact: (fact.subject,)),
    FactKind("run", "Alignment run", "job", lambda fact, model: f"Run {fact.detail['run']} begun: {fact.subject_id}"),
    FactKind("waiver", "Waiver", "job", lambda fact, model: f"Waived before alignment: {fact.detail['reason']}"),
)
