"""What each band receives, and the resistance of its aerial coil."""

import math

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import Context, FactKind, Want, every_stage
from calm_needle.core.quantities import format_si

UNITS = {"level": "V", "coil": "Ω"}
READS = {"level": "level for 50\u00a0mW", "coil": "aerial coil"}
NEVER = {"level": "not reached", "coil": "open"}


def _name(fact: Fact, model: Model) -> str:
    name = next((b.name for b in model.bands if b.id == fact.subject_id), fact.subject_id)
    return f"{name[0].upper()}{name[1:]}"


def _check(fact: Fact, model: Model) -> str:
    what, heard, value = fact.detail["what"], fact.detail.get("heard"), fact.detail.get("value")
    if heard:
        return f"{_name(fact, model)}, {what}: {'receives' if heard == 'alive' else heard}"
    shown = NEVER[what] if value is None or math.isinf(value) else format_si(value, unit=UNITS[what], digits=3)
    return f"{_name(fact, model)}, {READS[what]}: {shown}"


def _wants(fact: Fact, context: Context) -> Want | None:
    what = fact.detail["what"]
    if fact.detail.get("heard") == "dead":
        return Want(f"{_name(fact, context.model)} is dead: {what}.", "Find the fault", "guided")
    if what == "coil" and fact.detail.get("value") is None:
        return Want(f"{_name(fact, context.model)}: aerial coil open.", "Find the fault", "guided")
    return None


def _note(fact: Fact, model: Model) -> str:
    return f"{_name(fact, model)}, {fact.detail['what']}: {fact.detail['words'] or 'withdrawn'}"


KINDS = (
    FactKind(
        *("band check", "Band check", "bands", _check),
        identity=lambda fact: (fact.subject, fact.detail["what"]),
        rests_on=every_stage,
        wants=_wants,
    ),
    FactKind("band note", "Note on a band", "bands", _note, identity=lambda fact: (fact.subject, fact.detail["what"])),
)
