import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.model import Group, RoundRule, SetUp, Source, Step
from calm_needle.core.procedure.plan import Plan
from calm_needle.core.procedure.run import Act, Place, RunState, fold, fold_what_fits, rounds_of
from tests.support.properties import steady

AT_GRID = SetUp(source=Source(468e3, 320e-6, "AM", 0.3, 400.0), goes_in="grid")
AT_AERIAL = SetUp(source=Source(468e3, 0.05, "AM", 0.3, 400.0), goes_in="aerial")


def step(name: str, set_up: SetUp = AT_GRID, kind: Any = "peak") -> Step:
    return Step(name, kind, name, (name,), "why", (), set_up)


PLAN = Plan(
    (
        Group("cores", "intermediate frequency", "Cores", (step("A"), step("B")), repeat=RoundRule("dB", 0.2, 4)),
        Group("trap", "intermediate frequency", "Trap", (step("T", AT_AERIAL, "null"),)),
    )
)


def run(*acts: str | tuple[str, dict[str, Any]]) -> RunState:
    """Fold acts; a step's visit is begun wherever one is open and none has begun, and each names its place, as the run book does."""
    return fold(PLAN, acts_of(*acts))


def acts_of(*acts: str | tuple[str, dict[str, Any]], plan: Plan = PLAN) -> list[Act]:
    done: list[Act] = []

    def add(kind: str, detail: dict[str, Any]) -> None:
        state = fold(plan, done)
        place, before = state.place, state.reopens()
        if place and place.step_id:
            detail = {"step_id": place.step_id, "round": place.round, **detail}
        elif place:
            detail = {"group_id": place.group_id, "round": place.round, **detail}
        if kind == "back":
            if before is None:
                return
            detail = {"visit": before.id}
        done.append(Act(len(done) + 1, kind, "2026-11-24T10:00:00.000Z", detail))

    for act in acts:
        kind, detail = act if isinstance(act, tuple) else (act, {})
        add(kind, detail)
        state = fold(plan, done)
        if state.stage == "step" and state.visit is None:
            add("begin", {})
    return done


class WhereARunIs(unittest.TestCase):
    def test_nothing_is_turned_before_all_is_set(self) -> None:
        self.assertEqual(run().stage, "set_up")
        self.assertEqual(run("set").stage, "step")

    def test_the_ring_of_cores_ends_in_a_decision(self) -> None:
        state = run("set", ("take", {"gain_db": 2.0}), ("take", {"gain_db": 1.0}))
        self.assertEqual(state.stage, "decision")
        self.assertEqual([[c.gain for c in r] for r in rounds_of(state, "cores")], [[2.0, 1.0]])

    def test_another_round_begins_with_the_first_core(self) -> None:
        state = run("set", "take", "take", ("decide", {"go_on": True}))
        self.assertEqual((state.place, state.stage), (Place("cores", "A", 2), "step"))

    def test_a_lead_that_moves_is_confirmed_again(self) -> None:
        state = run("set", "take", "take", ("decide", {"go_on": False}))
        self.assertEqual((state.place, state.stage), (Place("trap", "T", 1), "set_up"))
        self.assertEqual(run("set", "take", "take", ("decide", {"go_on": False}), "set", "take", "finish").stage, "finished")

    def test_going_back_reopens_the_step_and_its_outcome_no_longer_counts(self) -> None:
        state = run("set", ("take", {"gain_db": 2.0}), "back")
        assert state.place is not None
        self.assertEqual(state.place, Place("cores", "A", 1))
        self.assertIsNone(state.last_visit(state.place))
        again = run("set", ("take", {"gain_db": 2.0}), "back", ("take", {"gain_db": 0.5}), ("take", {"gain_db": 1.0}))
        self.assertEqual([[c.gain for c in r] for r in rounds_of(again, "cores")], [[0.5, 1.0]])

    def test_an_act_that_does_not_fit_is_set_aside_and_closes_the_run_for_nobody(self) -> None:
        sound = acts_of("set", ("take", {"gain_db": 3.0}))
        for broken in (Act(90, "take", "", {"step_id": "nowhere"}), Act(91, "set", "", {}), Act(92, "back", "", {"visit": 77})):
            acts = [*sound[:2], broken, *sound[2:]]
            state, aside = fold_what_fits(PLAN, acts)
            self.assertEqual((state, aside), (fold(PLAN, sound), (broken,)))

    def test_going_back_before_anything_was_done_changes_nothing(self) -> None:
        self.assertEqual(run("set", "back").place, run("set").place)

    def test_a_plan_that_has_grown_changes_nothing_that_was_done(self) -> None:
        # The same acts over a plan to which a later version has added a group in front, and steps of another kind.
        acts = acts_of("set", ("take", {"gain_db": 2.0}), ("skip", {"reason": "cracked"}), ("decide", {"go_on": True}))
        longer = Plan((Group("first", "intermediate frequency", "First", (step("F"),)), *PLAN.groups))
        before, after = fold(PLAN, acts), fold(longer, acts)
        self.assertEqual((before.visits, before.place, before.stage), (after.visits, after.place, after.stage))

    def test_steps_added_to_a_run_that_was_through_are_gone_on_with(self) -> None:
        more = {"id": "again", "phase": "intermediate frequency", "title": "Again", "steps": [{"id": "A2", "kind": "peak", "title": "A",
                "adjusters": ["A"], "why": "a repair", "set": {}}]}  # fmt: skip
        through = ("set", "take", "take", ("decide", {"go_on": False}), "set", "take")
        state = run(*through, ("extend", {"groups": [more]}))
        self.assertEqual((state.place, state.stage), (Place("again", "A2", 1), "set_up"))
        meanwhile = run("set", ("extend", {"groups": [more]}))
        self.assertEqual(meanwhile.place, Place("cores", "A", 1))
        self.assertEqual([g.id for g in meanwhile.plan.groups], ["cores", "trap", "again"])

    @steady
    @given(st.lists(st.sampled_from(["take", "no_peak", "skip", "back"]), max_size=14))
    def test_the_same_acts_always_give_the_same_place_and_never_lose_a_visit(self, kinds: list[str]) -> None:
        acts: list[str | tuple[str, dict[str, Any]]] = ["set"]
        for kind in kinds:
            state = run(*acts)
            if state.stage == "decision":
                acts.append(("decide", {"go_on": True}))
            acts.append(kind)
        self.assertEqual(run(*acts), run(*acts))
        before, after = run(*acts[:-1]), run(*acts)
        self.assertGreaterEqual(len(after.visits), len(before.visits))
