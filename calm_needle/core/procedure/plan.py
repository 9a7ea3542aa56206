"""What a run is to lead a person through, fixed when the run begins.

A plan is kept as JSON in the dossier's own form, but whole: every step has its title and everything that is set for it, so that
a stored run reads the same whatever a later version can do or would propose. It is made from a dossier once, and may grow.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from calm_needle.core.dossier.model import Group, Model, Step
from calm_needle.core.dossier.read import read_groups, resolved_group
from calm_needle.core.procedure.derived import DERIVED
from calm_needle.core.procedure.dial.steps import Carrier, means_named
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
    """Groups of steps in their order, and what was left out. Step and group ids are unique in a plan. means: how frequencies are read.
    style: the house style that it was begun with."""

    groups: tuple[Group, ...]
    left_out: tuple[LeftOut, ...] = ()
    means: str = ""
    style: Mapping[str, str] = field(default_factory=dict)
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
        return self._by_id[step_id]

    @cached_property
    def _by_id(self) -> Mapping[str, Step]:
        return {step.id: step for step in self.steps}

    def index(self, group_id: str) -> int:
        """Where a group stands, from 0."""
        return [g.id for g in self.groups].index(group_id)

    def set_of(self, step_id: str) -> Mapping[str, Any]:
        """Return everything that a step sets, as the plan writes it: what is kept as the context of its readings."""
        return self.sets[step_id]

    def grown(self, groups: Sequence[Mapping[str, Any]], *, after: str | None = None) -> "Plan":
        """Return the plan with more groups, as a plan writes them, behind one of its own, or at its end."""
        at = len(self.groups) if after is None else self.index(after) + 1
        more = read_groups(groups)
        return replace(self, groups=(*self.groups[:at], *more, *self.groups[at:]), sets={**self.sets, **_sets(groups)})


def without(plan: Plan, group_ids: Collection[str]) -> Plan:
    """Return a plan in which some groups are no longer led through; they stay in it, for what was done in them was done."""
    return replace(plan, groups=tuple(replace(g, dropped=True) if g.id in group_ids else g for g in plan.groups))


def plan_data(
    model: Model,
    phase: str,
    *,
    again: Stale | None = None,
    means: str = "counter",
    bands: Collection[str] = (),
    carriers: Sequence[Carrier] = (),
    style: Mapping[str, str] | None = None,
) -> dict[str, Any]:
    """Return the plan of a phase as JSON data: every group of the dossier either led through or left out with its reason.

    again: what of it no longer stands. The plan is then derived: those groups, and what measures before and after; the steps say
    from what they are derived. Where no group is named, all of them. means: how frequencies are read, where a phase's steps are derived.
    bands: only these, where a step is of one. carriers: that are known, for means that need them. style: the
    house style, where a workshop has one.
    """
    led = phase_named(phase).led
    groups, instead = DERIVED[phase](model, means_named(means, carriers)) if phase in DERIVED else ([], set())
    if again and again.groups:
        groups = _of_stale_bands(model, groups, again)
    if bands:
        groups = [g for g in groups if _band_of(g["steps"][0]) in (*bands, None)]
    left_out: list[dict[str, str]] = []
    for raw in model.raw["procedure"]:
        if raw["phase"] != phase:
            continue
        unknown = [s["kind"] for s in raw["steps"] if s["kind"] not in KINDS]
        if not led:
            reason = "this phase is done by hand"
        elif raw["id"] in instead:
            reason = "its steps are derived from what is read on the band"
        elif bands and model_group(model, raw["id"]).steps[0].set_up.tuning.band not in (*bands, None) and phase in DERIVED:
            reason = "it is of a band that was left out"
        elif unknown:
            reason = f"the program cannot lead through a step of kind “{unknown[0]}”"
        elif again and again.groups and raw["id"] not in again.groups and not measures_only(model_group(model, raw["id"])):
            reason = "what was changed does not touch it"
        else:
            derived = {"derived": {"from": again.why}} if again else {}
            groups.append({**resolved_group(raw, model.adjusters), **derived})
            continue
        left_out.append({"id": raw["id"], "title": raw["title"], "reason": reason})
    more: dict[str, Any] = {"means": means} if phase in DERIVED else {}
    if style:
        more["style"] = dict(style)
    return {"version": VERSION, "groups": groups, "left_out": left_out, **more}


def _band_of(step: Mapping[str, Any]) -> str | None:
    band = step["set"].get("receiver", {}).get("band")
    return None if band is None else str(band)


def _of_stale_bands(model: Model, groups: Sequence[dict[str, Any]], again: Stale) -> list[dict[str, Any]]:
    """Of derived groups those of bands of which something no longer stands."""
    bands = {step.set_up.tuning.band for name in again.groups for step in model_group(model, name).steps}
    return [{**g, "derived": {"from": again.why}} for g in groups if _band_of(g["steps"][0]) in bands]


def model_group(model: Model, group_id: str) -> Group:
    """Return a group of a dossier's procedure by its id, which must be one."""
    return next(g for g in model.groups if g.id == group_id)


def read_plan(data: Mapping[str, Any]) -> Plan:
    """Return the plan that was stored as this JSON data."""
    left_out = tuple(LeftOut(x["id"], x["title"], x["reason"]) for x in data.get("left_out", ()))
    return Plan(read_groups(data["groups"]), left_out, str(data.get("means", "")), dict(data.get("style", {})), _sets(data["groups"]))


def plan_of(model: Model, phase: str) -> Plan:
    """Return the plan of a phase as it would begin today."""
    return read_plan(plan_data(model, phase))


def _sets(groups: Iterable[Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    return {s["id"]: s.get("set", {}) for g in groups for s in g["steps"]}
