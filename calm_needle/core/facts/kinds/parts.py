"""Measurements of parts, the set off."""

import math
from collections.abc import Sequence

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact, subject
from calm_needle.core.facts.kind import Context, FactKind, Touches, Want
from calm_needle.core.soundness.parts_sweep import Measured, Part, judge_part, shown
from calm_needle.core.verdict import Verdict


def part_of(fact: Fact, model: Model) -> Part | None:
    """Return the part that a fact is about, or None where the service data do not have it."""
    return next((p for p in model.parts if p.id == fact.subject_id), None)


def _value(fact: Fact) -> float:
    value = fact.detail["value"]
    return math.inf if value is None else float(value) - float(fact.detail.get("leads") or 0.0)


def _line(fact: Fact, model: Model) -> str:
    part = part_of(fact, model)
    if part is None:
        return f"{fact.subject_id} measured; not in the service data"
    circuit = ", in circuit" if fact.detail["in_circuit"] else ""
    return f"{part.name}: {shown(part, part.nominal)} drawn, {shown(part, _value(fact))} measured{circuit}"


def _rests_on(part: str, model: Model) -> Touches:
    of = next((p.of for p in model.parts if p.id == part.partition(":")[2]), "")
    return frozenset((part, subject("part", of))) if of else frozenset((part,))


def _judge(facts: Sequence[Fact], model: Model) -> Verdict | None:
    part = part_of(facts[-1], model)
    if part is None:
        return None
    return judge_part(
        part,
        [
            Measured(
                _value(f),
                bool(f.detail["in_circuit"]),
                bool(f.detail["replaced"]),
                f.detail.get("marked"),
                float(f.detail.get("leads") or 0.0),
            )
            for f in facts
        ],
    )


def _wants(fact: Fact, context: Context) -> Want | None:
    part = part_of(fact, context.model)
    if part is None or context.verdict is None or context.verdict.state != "out":
        return None
    return Want(f"{part.name}: {context.verdict.sentence}", "Add repair", "repairs")


KINDS = (
    FactKind(
        *("part check", "Part measured", "parts", _line),
        rests_on=_rests_on,
        judge=_judge,
        wants=_wants,
    ),
)
