"""Where a run is: worked out from its plan and what was done, never kept beside it.

A run is a list of acts that only grows, and each act names the step or the group it was meant for. `fold` goes through them and
says which step is open, in which round, what was decided, and what every visit to a step came to; after a crash the same acts
give the same place. A plan may grow by an act of its own (`extend`); what was done before stays as it was.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import RoundRule, SetUp, Step
from calm_needle.core.procedure.plan import Plan, without
from calm_needle.core.procedure.rounds import Gain
from calm_needle.core.procedure.watch.wander import SPAN_TO_SIGMA
from calm_needle.errors import CalmNeedleError

ActKind = Literal[
    "set", "begin", "level", "way", "blind", "wax", "changed", "take", "no_peak", "skip", "back", "decide", "extend", "finish"
]
Stage = Literal["set_up", "step", "decision", "complete", "finished"]
OUTCOMES = ("take", "no_peak", "skip")


class Act(NamedTuple):
    """One thing that was done: its number, kind, time (ISO 8601 UTC) and detail.

    Detail of set, begin, way and the outcomes: step_id and round; of way: the hand's way from now on; of blind: whether the program
    sees the turns of a practice set; of decide: group_id, round, go_on, and the groups that follow from it; of back: the visit that is
    reopened; of extend: groups.
    """

    id: int
    kind: str
    at_utc: str
    detail: Mapping[str, Any]


class Hand(NamedTuple):
    """What the hand has said of its way on this visit: +1 one way, -1 back, 0 off, None nothing yet; and its last way before it was off."""

    way: int | None = None
    last: int = 1

    def after(self, way: int) -> "Hand":
        return Hand(way, way or self.last)


NOTHING_SAID = Hand()


class Place(NamedTuple):
    """A place in the plan: group, step in it (None while another round is decided about), round (from 1)."""

    group_id: str
    step_id: str | None
    round: int


@dataclass(frozen=True)
class Visit:
    """One stay at a step: what came of it. `id` is that of the act that began it."""

    id: int
    place: Place
    began_utc: str = ""
    outcome: str | None = None
    detail: Mapping[str, Any] = field(default_factory=dict)
    superseded: bool = False

    @property
    def step_id(self) -> str:
        assert self.place.step_id is not None
        return self.place.step_id


@dataclass(frozen=True)
class RunState:
    """Where a run is. `place` is None once every group is through; `visit` is the open stay at a step, None until it has begun."""

    stage: Stage
    plan: Plan
    place: Place | None
    visit: Visit | None = None
    visits: tuple[Visit, ...] = ()
    level_v: float | None = None
    set_up_done: SetUp | None = None
    hand: Hand = NOTHING_SAID
    blind: bool = False
    waxed_cleared: tuple[str, ...] = ()
    decisions: tuple[Mapping[str, Any], ...] = ()

    @property
    def step(self) -> Step | None:
        """The step the run is at, or None before a decision and at the end."""
        at_step = self.stage in ("step", "set_up") and self.place is not None and self.place.step_id is not None
        return self.plan.step(self.place.step_id) if at_step and self.place and self.place.step_id else None

    def last_visit(self, place: Place) -> Visit | None:
        """Return the visit that counts for a place of the plan: the last one that was not gone back on."""
        return next((v for v in reversed(self.visits) if v.place == place and not v.superseded and v.outcome), None)

    def reopens(self) -> Visit | None:
        """The visit that going back reopens, or None at the first step."""
        return next((v for v in reversed(self.visits) if v.outcome and not v.superseded), None)


def fold(plan: Plan, acts: Iterable[Act]) -> RunState:
    """Return the state of a run of this plan after these acts, in their order. Acts that do not fit it are an error of ours."""
    state = _settle(RunState("set_up", plan, _first_of(plan, 0)))
    for act in acts:
        state = _settle(_apply(state, act))
    return state


def fold_what_fits(plan: Plan, acts: Iterable[Act]) -> tuple[RunState, tuple[Act, ...]]:
    """As fold(), with each act that does not fit set aside: an act of a fault of ours, or of a damaged file, closes no run for ever."""
    state, aside = _settle(RunState("set_up", plan, _first_of(plan, 0))), []
    for act in acts:
        try:
            state = _settle(_apply(state, act))
        except (CalmNeedleError, LookupError, StopIteration, AssertionError, TypeError, ValueError, AttributeError):
            aside.append(act)
    return state, tuple(aside)


def rounds_of(state: RunState, group_id: str) -> list[list[Gain]]:
    """Return what each adjuster gained, or was moved, in each round of a group so far, rounds with no outcome left out."""
    out: list[list[Gain]] = []
    repeat = state.plan.group(group_id).repeat
    last = state.place.round if state.place and state.place.group_id == group_id else 999
    for number in range(1, last + 1):
        cores = []
        for step in state.plan.group(group_id).steps:
            visit = state.last_visit(Place(group_id, step.id, number))
            if visit:
                cores.append(Gain(", ".join(step.adjusters), *_gained(visit, repeat)))
        if not cores:
            break
        out.append(cores)
    return out


def _gained(visit: Visit, repeat: RoundRule | None) -> tuple[float | None, float]:
    """What a visit gained in the unit of its group's rule, and the wander meanwhile."""
    detail = visit.detail
    if visit.outcome != "take":
        return None, 0.0
    if repeat is None or repeat.unit == "dB":
        return detail.get("gain_db"), max(detail.get("wander_db", 0.0), SPAN_TO_SIGMA * (detail.get("by_itself_db") or 0.0))
    return (abs(detail["value"] - detail["start"]) if "start" in detail else None), detail.get("unrest", 0.0)


def _settle(state: RunState) -> RunState:
    """Make the stage follow from the place: a changed set-up is confirmed before anything is turned."""
    if state.stage in ("decision", "finished"):
        return state
    if state.place is None or state.place.step_id is None:
        return replace(state, stage="complete", visit=None)
    wanted = state.plan.step(state.place.step_id).set_up
    return replace(state, stage="step" if state.set_up_done == wanted else "set_up")


def _apply(state: RunState, act: Act) -> RunState:
    match act.kind:
        case "set":
            set_up = state.plan.step(act.detail["step_id"]).set_up
            level = act.detail.get("level_v") or (set_up.source.level_v if set_up.source else None)
            return replace(state, set_up_done=set_up, level_v=level)
        case "begin":
            step_id = act.detail["step_id"]
            visit = Visit(act.id, Place(state.plan.group_of(step_id).id, step_id, act.detail["round"]), act.at_utc)
            return replace(state, visit=visit, visits=(*state.visits, visit), hand=NOTHING_SAID)
        case "level":
            return replace(state, level_v=act.detail["level_v"])
        case "way":
            return replace(state, hand=state.hand.after(act.detail["way"]))
        case "blind":
            return replace(state, blind=act.detail["blind"])
        case "changed":
            return replace(state, hand=NOTHING_SAID)
        case "wax":
            return replace(state, hand=NOTHING_SAID, waxed_cleared=(*state.waxed_cleared, act.detail["adjuster"]))
        case "take" | "no_peak" | "skip":
            assert state.visit is not None and state.visit.step_id == act.detail["step_id"]
            closed = replace(state.visit, outcome=act.kind, detail=act.detail)
            visits = (*(v for v in state.visits if v.id != closed.id), closed)
            return _advance(replace(state, visit=None, visits=visits), closed.place, ends=act.kind == "no_peak")
        case "back":
            return _go_back(state, act.detail["visit"])
        case "decide":
            group = state.plan.group(act.detail["group_id"])
            decisions = (*state.decisions, act.detail)
            # Gone back to and decided anew: what the earlier decision led to no longer follows.
            earlier = [g["id"] for d in state.decisions if d["group_id"] == group.id for g in d.get("groups", ())]
            state = replace(state, plan=without(state.plan, earlier).grown(act.detail.get("groups", ()), after=group.id))
            again = Place(group.id, group.steps[0].id, act.detail["round"] + 1)
            place = again if act.detail["go_on"] else _first_of(state.plan, state.plan.index(group.id) + 1)
            return replace(state, stage="step", place=place, decisions=decisions)
        case "extend":
            return _grow(state, act)
        case "finish":
            return replace(state, stage="finished", visit=None)
    return state


def _first_of(plan: Plan, index: int) -> Place | None:
    """The first place of a group by its index; None behind the last."""
    while index < len(plan.groups) and plan.groups[index].dropped:
        index += 1
    if index >= len(plan.groups):
        return None
    group = plan.groups[index]
    return Place(group.id, group.steps[0].id, 1)


def _advance(state: RunState, done: Place, *, ends: bool) -> RunState:
    """Go on behind a step. ends: it could not be done, so neither can what hangs together with it."""
    group = state.plan.group(done.group_id)
    index = [s.id for s in group.steps].index(done.step_id or "")
    if index + 1 < len(group.steps) and not (ends and group.hangs_together):
        return replace(state, place=Place(group.id, group.steps[index + 1].id, done.round))
    if group.repeat is not None or group.decides:
        return replace(state, stage="decision", place=Place(group.id, None, done.round))
    return replace(state, place=_first_of(state.plan, state.plan.index(group.id) + 1))


def _grow(state: RunState, act: Act) -> RunState:
    plan = state.plan.grown(act.detail["groups"])
    at_end = state.place is None
    place = _first_of(plan, len(state.plan.groups)) if at_end else state.place
    return replace(state, plan=plan, place=place, stage="step" if at_end else state.stage)


def _go_back(state: RunState, visit_id: int) -> RunState:
    """Reopen a step: its outcome no longer counts; its readings stay."""
    before = next(v for v in state.visits if v.id == visit_id)
    open_id = state.visit.id if state.visit else None
    visits = tuple(replace(v, superseded=True) if v.id in (before.id, open_id) else v for v in state.visits)
    return replace(state, stage="step", place=before.place, visit=None, visits=visits)
