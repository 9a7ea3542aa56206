"""Repairs, and the test after each."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact, subject
from calm_needle.core.facts.kind import NOTHING, UNTESTED, Context, FactKind, Touches, Want
from calm_needle.core.facts.kinds.parts import part_of
from calm_needle.core.quantities import format_si
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.core.soundness.repairs import UNDER_THE_IRON

REPAIR, TEST = "repair", "quick test"


def _line(fact: Fact, model: Model) -> str:
    part, value, words = part_of(fact, model), fact.detail.get("value"), fact.detail["words"]
    by = f" by {format_si(value, unit=UNITS[part.kind], digits=3)}" if part and value else ""
    return f"{part.name if part else fact.subject_id} {fact.detail['what']}{by}{f': {words}' if words else ''}"


def _touches(fact: Fact, model: Model) -> Touches:
    if fact.detail["what"] not in UNDER_THE_IRON:
        return NOTHING
    part = part_of(fact, model)
    return frozenset((fact.subject, subject("stage", part.stage))) if part and part.stage else frozenset((fact.subject,))


def _wants(fact: Fact, context: Context) -> Want | None:
    if context.came_later(fact, TEST):
        return None
    return Want(f"{fact.subject_id} {fact.detail['what']}: not tested.", "Test the repair", "repairs", UNTESTED)


KINDS = (
    FactKind(REPAIR, "Repair", "repairs", _line, touches=_touches, wants=_wants),
    FactKind(TEST, "Test after a repair", "repairs", lambda fact, model: f"{fact.detail['outcome']}: {fact.detail['words']}"),
)
