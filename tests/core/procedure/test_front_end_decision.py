"""The front end of a band: peaked where the set receives, rocked where an end has nothing else, and only where it is stale."""

import unittest
from typing import Any

from calm_needle.core.dossier.read import read_model
from calm_needle.core.dossier.sketch import LOW_ENDS, Sketched, SketchedBand, sketch
from calm_needle.core.procedure.decision import Decision
from calm_needle.core.procedure.front_end.advice import front_end_decision
from calm_needle.core.procedure.plan import plan_data, plan_of, read_plan
from calm_needle.core.procedure.run import Act, fold
from calm_needle.core.procedure.stale import Change, Stale, made_stale
from tests.support import dossiers

HALVERN, CORVANE = dossiers.model("halvern-6b"), dossiers.model("corvane-r-40")
PHASE = "front end"


def decided(model: Any, beside_hz: float) -> Decision:
    """The decision about the first band, each of its points read to receive so much beside."""
    plan = plan_of(model, PHASE)
    acts: list[Act] = []
    for step in plan.groups[0].steps:
        here = {"step_id": step.id, "round": 1}
        said = {"receives_hz": float(step.aim["mark_hz"]) + beside_hz, "sigma_hz": 20.0}
        acts += [Act(len(acts) + 1, "begin", "", here), Act(len(acts) + 2, "take", "", {**here, **said})]
    return front_end_decision(model, fold(plan, acts), plan.groups[0], {})


class FrontEnd(unittest.TestCase):
    def test_each_circuit_is_peaked_where_the_set_receives_in_the_papers_order(self) -> None:
        found = decided(CORVANE, 1500.0)
        self.assertEqual(found.advised, "peak")
        way = found.option("peak")
        assert way is not None
        steps = way.groups[0]["steps"]
        self.assertEqual([s["adjusters"][0] for s in steps], ["L2A", "L1A", "C2A", "C1A"])
        self.assertEqual([s["set"]["generator"]["frequency_hz"] for s in steps], [551.5e3, 551.5e3, 1221.5e3, 1221.5e3])
        self.assertEqual(way.groups[0]["repeat_until"]["gain_below_db"], 0.1)

    def test_what_is_decided_is_named_apart_from_all_that_is_there(self) -> None:
        bands = (SketchedBand("medium wave", 520e3, 1500e3), SketchedBand("short wave", 5.8e6, 18e6))
        for low_end in LOW_ENDS:
            drawn = sketch(Sketched("Tollard 9", "valve", "unknown", 472e3, bands, 2, "two", low_end, True))
            for model in (read_model(drawn), *dossiers.all_models()):
                if plan := plan_of(model, PHASE).groups:
                    there = {s.id for g in plan for s in g.steps} | {g.id for g in plan}
                    for way in decided(model, 1500.0).options:
                        new = [i for g in way.groups for i in (g["id"], *(s["id"] for s in g["steps"]))]
                        self.assertEqual((there & set(new), len(set(new))), (set(), len(new)), (model.name, way.id))

    def test_a_dial_far_off_comes_first(self) -> None:
        found = decided(HALVERN, 200e3)
        self.assertEqual((found.advised, found.tone), ("leave", "danger"))
        self.assertIn("set it first", found.sentence)

    def test_a_dial_that_was_left_within_its_tolerance_is_not_far_off_here(self) -> None:
        drawn = sketch(
            Sketched("Whimbrel", "valve", "unknown", 455e3, (SketchedBand("short wave", 5.8e6, 18e6),), 2, "two", "padder", True)
        )
        self.assertEqual(decided(read_model(drawn), 130e3).advised, "peak")  # 1.5 % of 15 MHz are 225 kHz
        self.assertEqual(decided(read_model(drawn), 400e3).advised, "leave")

    def test_an_end_without_a_signal_adjuster_may_be_rocked_and_it_is_said_what_that_costs(self) -> None:
        rock = decided(HALVERN, 500.0).option("rock")
        assert rock is not None
        step = rock.groups[0]["steps"][0]
        self.assertEqual([a["id"] for a in step["adjusters"]], ["C21", "tuning"])
        self.assertIn("The dial is then stale", rock.words)
        self.assertIn("the highest of the crests", step["why"])
        read_plan({"groups": rock.groups})
        self.assertIsNone(decided(CORVANE, 500.0).option("rock"))

    def test_an_oscillator_moved_afterwards_makes_its_band_stale_and_only_that_is_done_again(self) -> None:
        stale = made_stale(HALVERN, [Change("turned", "C20", "MW padder was turned in run 7")], done=(PHASE,))
        self.assertEqual([(s.phase, s.groups) for s in stale], [(PHASE, ("front-mw",))])
        again = plan_data(HALVERN, PHASE, again=Stale(PHASE, stale[0].why, stale[0].groups))
        self.assertEqual([g["id"] for g in again["groups"]], ["front-mw-1"])
        self.assertEqual(again["groups"][0]["derived"]["from"], stale[0].why)
