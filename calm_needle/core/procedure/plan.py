"""What a run is to lead a person through, fixed when the run begins.

A plan is kept as JSON in the dossier's own form, but whole: every step has its title and everything that is set for it, so that
a stored run reads the same whatever a later version can do or would propose. It is made from a dossier once, and may grow.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from calm_needle.core.dossier.model import Group, Model, Step
from calm_needle.core.dossier.read import read_groups, resolved_group
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.phases import phase_named
from calm_needle.core.procedure.stale import Stale, measures_only

VERSION = 1


@dataclass(frozen=True)
class LeftOut:
    """A group of the dossier that a plan does not lead through, and why."""

    id: str
    title: str
    reason: str


@dataclass(frozen=True)
class Plan:
    """Groups of steps in their order, and what was left out. Step and group ids are unique in a plan."""

    groups: tuple[Group, ...]
    left_out: tuple[LeftOut, ...] = ()
    sets: Mapping[str, Mapping[str, Any]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def steps(self) -> list[Step]:
        return [step for group in self.groups for step in group.steps]

    def group(self, group_id: str) -> Group:
        """Return a group by its id. Raises StopIteration for one that is not in the plan: an error of ours."""
        return next(g for g in self.groups if g.id == group_id)

    def group_of(self, step_id: str) -> Group:
        return next(g for g in self.groups if any(s.id == step_id for s in g.steps))

    def step(self, step_id: str) -> Step:
        return next(s for s in self.steps if s.id == step_id)

    def index(self, group_id: str) -> int:
        """Where a group stands, from 0."""
        return [g.id for g in self.groups].index(group_id)

    def set_of(self, step_id: str) -> Mapping[str, Any]:
        """Return everything that a step sets, as the plan writes it: what is kept as the context of its readings."""
        return self.sets[step_id]

    def grown(self, groups: Sequence[Mapping[str, Any]]) -> "Plan":
        """Return the plan with more groups, as a plan writes them, at its end."""
        return replace(self, groups=(*self.groups, *read_groups(groups)), sets={**self.sets, **_sets(groups)})


def plan_data(model: Model, phase: str, *, again: Stale | None = None) -> dict[str, Any]:
    """Return the plan of a phase as JSON data: every group of the dossier either led through or left out with its reason.

    again: what of it no longer stands. The plan is then derived: those groups, and what measures before and after; the steps say
    from what they are derived. Where no group is named, all of them.
    """
    led = phase_named(phase).led
    groups: list[dict[str, Any]] = []
    left_out: list[dict[str, str]] = []
    for raw in model.raw["procedure"]:
        if raw["phase"] != phase:
            continue
        unknown = [s["kind"] for s in raw["steps"] if s["kind"] not in KINDS]
        if not led:
            reason = "this phase is done by hand"
        elif unknown:
            reason = f"the program cannot lead through a step of kind “{unknown[0]}”"
        elif again and again.groups and raw["id"] not in again.groups and not measures_only(model_group(model, raw["id"])):
            reason = "what was changed does not touch it"
        else:
            derived = {"derived": {"from": again.why}} if again else {}
            groups.append({**resolved_group(raw, model.adjusters), **derived})
            continue
        left_out.append({"id": raw["id"], "title": raw["title"], "reason": reason})
    return {"version": VERSION, "groups": groups, "left_out": left_out}


def model_group(model: Model, group_id: str) -> Group:
    """Return a group of a dossier's procedure by its id, which must be one."""
    return next(g for g in model.groups if g.id == group_id)


def read_plan(data: Mapping[str, Any]) -> Plan:
    """Return the plan that was stored as this JSON data."""
    left_out = tuple(LeftOut(x["id"], x["title"], x["reason"]) for x in data.get("left_out", ()))
    return Plan(read_groups(data["groups"]), left_out, _sets(data["groups"]))


def plan_of(model: Model, phase: str) -> Plan:
    """Return the plan of a phase as it would begin today."""
    return read_plan(plan_data(model, phase))


def _sets(groups: Iterable[Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    return {s["id"]: s.get("set", {}) for g in groups for s in g["steps"]}
