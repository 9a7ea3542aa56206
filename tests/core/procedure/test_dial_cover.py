"""A cover over the oscillator: what it does is measured twice and allowed for, so that the dial is right once it is on."""

import unittest
from typing import Any

from calm_needle.core.dossier.read import resolved_group
from calm_needle.core.physics.dial_fit import Reading
from calm_needle.core.procedure.decision import Decision
from calm_needle.core.procedure.dial.advice import dial_decision
from calm_needle.core.procedure.dial.band import dial_bands
from calm_needle.core.procedure.dial.cover import Covered, shift_of
from calm_needle.core.procedure.dial.evidence import evidence_of
from calm_needle.core.procedure.plan import Plan, plan_of
from calm_needle.core.procedure.run import Place, RunState, Visit
from tests.support import dossiers

MODEL = dossiers.model("stannard-seven")
BAND = dial_bands(MODEL)["BC"]
SHIFT = {"trimmer": 0.08}  # what the shields add, as a share of the trimmer's reach


def receives(changes: dict[str, float], dial_hz: float) -> float:
    return float(BAND.drawn.receives_hz(changes, BAND.drawn.gang((dial_hz,)))[0])


class TheSet:
    """A set that is read, with its shields off or on."""

    def __init__(self, **off: float) -> None:
        self.closed = dict(off)
        self.bare = {**off, "trimmer": off.get("trimmer", 0.0) - SHIFT["trimmer"]}
        self.plan: Plan = plan_of(MODEL, "oscillator and dial")
        self.visits: list[Visit] = []

    def read(self, group_id: str) -> Decision:
        group = self.plan.group(group_id)
        for step in group.steps:
            state = self.closed if step.set_up.cover == "on" else self.bare
            said = {"receives_hz": receives(state, step.set_up.tuning.dial_hz or 0.0), "sigma_hz": 20.0}
            self.visits.append(Visit(len(self.visits) + 1, Place(group.id, step.id, 1), outcome="take", detail=said))
        return dial_decision(MODEL, RunState("decision", self.plan, Place(group.id, None, 1), visits=tuple(self.visits)), group, {})

    def go(self, decision: Decision, option: str) -> list[dict[str, Any]]:
        chosen = decision.option(option)
        assert chosen is not None
        groups = [resolved_group(g, MODEL.adjusters) for g in chosen.groups]
        self.plan = self.plan.grown(groups)
        return groups


class Cover(unittest.TestCase):
    def test_before_anything_is_decided_it_is_measured_off_and_on_twice(self) -> None:
        decision = TheSet(trimmer=0.3, padder=0.05).read("oscillator-bc-1")
        self.assertEqual(decision.advised, "cover")
        option = decision.option("cover")
        assert option is not None
        self.assertEqual([s["set"]["cover"] for s in option.groups[0]["steps"]], ["off", "on", "off", "on"])

    def test_the_moves_are_made_without_it_and_are_right_with_it(self) -> None:
        one = TheSet(trimmer=0.3, padder=0.05)
        one.go(one.read("oscillator-bc-1"), "cover")
        decision = one.read(one.plan.groups[-1].id)
        self.assertEqual(decision.advised, "least-worst")
        self.assertRegex(decision.evidence, "With the coil shields on it receives −.* beside, at 1.4.MHz; measured")
        moves, again = one.go(decision, "least-worst")
        self.assertTrue(all(s["set"]["cover"] == "off" for s in moves["steps"]))
        self.assertTrue(all(s["set"]["cover"] == "on" for s in again["steps"]), "the last reading is with it on")
        # Done to the letter: each adjuster is brought to the frequency that is said, the shields off.
        state = dict(one.bare)
        for step in moves["steps"]:
            part = BAND.part_of(step["adjusters"][0])
            assert part is not None
            at, wanted = step["set"]["receiver"]["tuning_hz"], step["aim"]["centre"] - step["aim"]["sign"] * step["aim"]["if_hz"]
            low, high = -2.0, 2.0
            for _ in range(60):
                middle = (low + high) / 2.0
                low, high = (low, middle) if receives({**state, part: middle}, at) < wanted else (middle, high)
            state[part] = (low + high) / 2.0
        closed = {**state, "trimmer": state["trimmer"] + SHIFT["trimmer"]}
        worst = {s: max(abs(receives(c, f) - f) for f in BAND.drawn.marks_hz) for s, c in (("on", closed), ("off", state))}
        self.assertLess(worst["on"], 1800.0)  # one pair of moves, by three marks
        self.assertGreater(worst["off"], 2.0 * worst["on"])

    def test_what_was_read_without_it_counts_as_it_would_be_with_it(self) -> None:
        one = TheSet(trimmer=0.1)
        one.go(one.read("oscillator-bc-1"), "cover")
        one.read(one.plan.groups[-1].id)
        evidence = evidence_of(one.plan, one.visits, BAND)
        for reading in evidence.readings:
            self.assertAlmostEqual(reading.receives_hz, receives(one.closed, reading.dial_hz), delta=400.0)

    def test_a_cover_that_seats_otherwise_each_time_is_said(self) -> None:
        loose = [Covered(Reading(1.4e6, 1.4e6 + off, 20.0), on) for off, on in ((0.0, False), (-5e3, True), (0.0, False), (-9e3, True))]
        found = shift_of(loose)
        assert found is not None
        self.assertFalse(found.agrees)
        steady = [c._replace(reading=c.reading._replace(receives_hz=1.4e6 - (5e3 if c.on else 0.0))) for c in loose]
        again = shift_of(steady)
        assert again is not None
        self.assertTrue(again.agrees)
        self.assertAlmostEqual(again.shift_hz, -5e3)


if __name__ == "__main__":
    unittest.main()
