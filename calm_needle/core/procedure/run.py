"""Where a run is: worked out from what was done, never kept beside it.

A run is a list of acts that only grows. `fold` goes through them and says which step is open, in which round, what was
decided, and what every visit to a step came to; after a crash the same acts give the same place.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import Group, SetUp, Step
from calm_needle.core.procedure.rounds import CoreGain

ActKind = Literal["set", "begin", "level", "wax", "take", "no_peak", "skip", "back", "decide", "finish"]
Stage = Literal["set_up", "step", "decision", "complete", "finished"]
OUTCOMES = ("take", "no_peak", "skip")


class Act(NamedTuple):
    """One thing that was done: its number, kind, time (ISO 8601 UTC) and detail."""

    id: int
    kind: str
    at_utc: str
    detail: Mapping[str, Any]


class Cursor(NamedTuple):
    """A place in the plan: group, step in it, round (from 1)."""

    group: int
    step: int
    round: int


@dataclass(frozen=True)
class Visit:
    """One stay at a step: what came of it. `id` is that of the act that began it."""

    id: int
    cursor: Cursor
    step_id: str
    outcome: str | None = None
    detail: Mapping[str, Any] = field(default_factory=dict)
    superseded: bool = False


@dataclass(frozen=True)
class RunState:
    """Where a run is. `visit` is the open stay at a step, None until it has begun or where there is none."""

    stage: Stage
    cursor: Cursor
    visit: Visit | None
    visits: tuple[Visit, ...]
    level_v: float | None
    set_up_done: SetUp | None
    waxed_cleared: tuple[str, ...]
    decisions: tuple[Mapping[str, Any], ...]

    def last_visit(self, cursor: Cursor) -> Visit | None:
        """Return the visit that counts for a place of the plan: the last one that was not gone back on."""
        return next((v for v in reversed(self.visits) if v.cursor == cursor and not v.superseded and v.outcome), None)


def fold(groups: Sequence[Group], acts: Iterable[Act]) -> RunState:
    """Return the state of a run over these groups after these acts, in their order. Acts that do not fit are an error of ours."""
    state = RunState("set_up", Cursor(0, 0, 1), None, (), None, None, (), ())
    state = _settle(groups, state)
    for act in acts:
        state = _settle(groups, _apply(groups, state, act))
    return state


def step_at(groups: Sequence[Group], cursor: Cursor) -> Step:
    """Return the step at a place of the plan."""
    return groups[cursor.group].steps[cursor.step]


def rounds_of(groups: Sequence[Group], state: RunState, group: int) -> list[list[CoreGain]]:
    """Return what each adjuster gained in each round of a group so far, rounds with no outcome left out."""
    out: list[list[CoreGain]] = []
    for number in range(1, state.cursor.round + 1 if group == state.cursor.group else 1000):
        cores = []
        for index, step in enumerate(groups[group].steps):
            visit = state.last_visit(Cursor(group, index, number))
            if visit:
                gain = visit.detail.get("gain_db") if visit.outcome == "take" else None
                cores.append(CoreGain(", ".join(step.adjusters), gain, visit.detail.get("wander_db", 0.0)))
        if not cores:
            break
        out.append(cores)
    return out


def _settle(groups: Sequence[Group], state: RunState) -> RunState:
    """Make the stage follow from the place: a changed set-up is confirmed before anything is turned."""
    if state.stage in ("decision", "finished"):
        return state
    if state.cursor.group >= len(groups):
        return replace(state, stage="complete", visit=None)
    wanted = step_at(groups, state.cursor).set_up
    return replace(state, stage="step" if state.set_up_done == wanted else "set_up")


def _apply(groups: Sequence[Group], state: RunState, act: Act) -> RunState:
    match act.kind:
        case "set":
            step = step_at(groups, state.cursor)
            generator = step.set_up.generator
            level = act.detail.get("level_v") or (generator.level_v if generator else None)
            return replace(state, set_up_done=step.set_up, level_v=level)
        case "begin":
            visit = Visit(act.id, state.cursor, step_at(groups, state.cursor).id)
            return replace(state, visit=visit, visits=(*state.visits, visit))
        case "level":
            return replace(state, level_v=act.detail["level_v"])
        case "wax":
            return replace(state, waxed_cleared=(*state.waxed_cleared, act.detail["adjuster"]))
        case "take" | "no_peak" | "skip":
            assert state.visit is not None
            closed = replace(state.visit, outcome=act.kind, detail=act.detail)
            visits = (*(v for v in state.visits if v.id != closed.id), closed)
            return _advance(groups, replace(state, visit=None, visits=visits))
        case "back":
            return _go_back(state)
        case "decide":
            decisions = (*state.decisions, {**act.detail, "group": state.cursor.group, "round": state.cursor.round})
            place = Cursor(state.cursor.group, 0, state.cursor.round + 1) if act.detail["go_on"] else Cursor(state.cursor.group + 1, 0, 1)
            return replace(state, stage="step", cursor=place, decisions=decisions)
        case "finish":
            return replace(state, stage="finished", visit=None)
    return state


def _advance(groups: Sequence[Group], state: RunState) -> RunState:
    group, step, number = state.cursor
    if step + 1 < len(groups[group].steps):
        return replace(state, cursor=Cursor(group, step + 1, number))
    if groups[group].gain_below_db is not None:
        return replace(state, stage="decision")
    return replace(state, cursor=Cursor(group + 1, 0, 1))


def _go_back(state: RunState) -> RunState:
    """Reopen the step before: its outcome no longer counts; its readings stay."""
    before = next((v for v in reversed(state.visits) if v.outcome and not v.superseded), None)
    if before is None:
        return state
    open_id = state.visit.id if state.visit else None
    visits = tuple(replace(v, superseded=True) if v.id in (before.id, open_id) else v for v in state.visits)
    return replace(state, stage="step", cursor=before.cursor, visit=None, visits=visits)
