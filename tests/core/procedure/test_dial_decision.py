"""What a person is told once the marks of a band were read, whatever is the matter with the readings."""

import unittest
from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model, resolved_group
from calm_needle.core.procedure.decision import Decision
from calm_needle.core.procedure.dial.advice import dial_decision
from calm_needle.core.procedure.dial.band import dial_bands
from calm_needle.core.procedure.plan import Plan, plan_of
from calm_needle.core.procedure.run import Act, Place, RunState, Visit, fold
from tests.support import dossiers

MODEL = dossiers.model("halvern-6b")
PHASE = "oscillator and dial"


def decided(receives: Mapping[float, float], *, band: str = "MW", model: Model = MODEL, **asked: Any) -> Decision:
    """The decision after each mark of a band was read to receive so much (Hz)."""
    plan: Plan = plan_of(model, PHASE)
    group = next(g for g in plan.groups if g.steps[0].set_up.tuning.band == band)
    acts: list[Act] = []
    for other in plan.groups[: plan.index(group.id)]:
        acts += [a for step in other.steps for a in (_act(len(acts), "begin", step.id), _act(len(acts) + 1, "skip", step.id, reason="x"))]
        acts.append(Act(900 + len(acts), "decide", "", {"group_id": other.id, "round": 1, "go_on": False}))
    for step in group.steps:
        at = receives.get(float(step.aim["mark_hz"]))
        said = {"receives_hz": at, "sigma_hz": 20.0} if at else {"reason": "x"}
        acts += [_act(len(acts), "begin", step.id), _act(len(acts) + 1, "take" if at else "skip", step.id, **said)]
    state = fold(plan, acts)
    return dial_decision(model, state, group, asked)


def _act(number: int, kind: Any, step_id: str, **detail: Any) -> Act:
    return Act(number, kind, "2026-11-26T08:00:00.000Z", {"step_id": step_id, "round": 1, **detail})


class Decided(unittest.TestCase):
    def test_within_tolerance_it_is_left_alone_and_said_what_touching_makes_stale(self) -> None:
        found = decided({600e3: 600.4e3, 1000e3: 1001e3, 1400e3: 1402e3})
        self.assertEqual((found.advised, found.tone), ("leave", "good"))
        self.assertIn("stale", found.evidence)
        touched_up = decided({600e3: 600.4e3, 1000e3: 1001e3, 1400e3: 1402e3}, touch_up=True)
        self.assertEqual(touched_up.advised, "least-worst")

    def test_what_is_hardly_listened_to_may_be_out_by_more_and_says_why(self) -> None:
        read = {600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}
        self.assertEqual(decided(read).advised, "least-worst")
        lenient = decided(read, tolerance_times=4.0, wish="hardly ever")
        self.assertEqual(lenient.advised, "leave")
        self.assertRegex(lenient.evidence, r"Its tolerance is \d.* % \(4 times that of the dossier, for it is listened to hardly ever\)")

    def test_beyond_it_two_moves_with_what_each_way_costs(self) -> None:
        found = decided({600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}, listens_hz=909e3)
        self.assertEqual(found.advised, "least-worst")
        least, book, exact = (found.option(o) for o in ("least-worst", "book", "exact"))
        assert least and book and exact
        self.assertEqual(len(least.steps), 2)
        self.assertRegex(least.steps[0], r"^Pointer to .*Hz, oscillator to .*Hz, with the .*: .*Hz (up|down)\.$")
        self.assertEqual([c[0] for c in exact.costs], ["worst", "ends", "at 909\u2009kHz"])
        self.assertEqual(exact.costs[2][1], "0\u2009Hz")
        self.assertEqual([g["id"] for g in least.groups], ["move-mw-1", "oscillator-mw-2"])

    def test_a_band_without_values_in_the_papers_is_solved_with_typical_ones_and_said_so(self) -> None:
        bands = [{k: v for k, v in b.items() if k != "oscillator_tank"} for b in MODEL.raw["bands"]]
        for band, far in (("MW", {600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}), ("SW", {6.5e6: 6.6e6, 11e6: 11.2e6, 17e6: 17.5e6})):
            found = decided(far, band=band, model=read_model({**MODEL.raw, "bands": bands}))
            self.assertEqual(found.advised, "least-worst")
            self.assertIn("worked out with typical values", found.evidence)
            self.assertEqual(found.found, ())
            least = found.option("least-worst")
            assert least
            self.assertEqual(len(least.steps), 2)

    def test_a_sister_model_s_values_are_said_to_be_hers_until_a_reading_bears_them_out(self) -> None:
        sister = read_model({**MODEL.raw, "source": {"kind": "a sister model's", "title": "Halvern 6A"}})
        found = decided({600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}, model=sister)
        self.assertIn("Worked out with values of a sister model’s papers: not yet seen on this set.", found.evidence)

    def test_points_that_no_papers_gave_are_not_called_theirs(self) -> None:
        far = {600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}
        for kind, called in (("own service data", "Papers’"), ("a sister model's", "Sister’s"), ("worked out at the bench", "Usual")):
            book = decided(far, model=read_model({**MODEL.raw, "source": {"kind": kind, "title": "x"}})).option("book")
            assert book
            self.assertEqual(book.label, f"{called} points")

    def test_the_house_style_says_what_is_aimed_at(self) -> None:
        far = {600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}
        book = decided(far, aim="book")
        self.assertEqual(book.advised, "book")
        self.assertIn("as the house style has it", book.evidence)
        self.assertEqual(decided(far, aim="exact").advised, "least-worst", "nobody said where the owner listens")
        self.assertEqual(decided(far, aim="exact", listens_hz=909e3).advised, "exact")

    def test_by_a_generator_the_moves_say_where_it_is_to_stand(self) -> None:
        found = decided({600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}, means="generator")
        least = found.option("least-worst")
        assert least is not None
        self.assertIn("generator to", least.steps[0])
        self.assertEqual(least.groups[0]["steps"][0]["kind"], "peak")

    def test_a_crest_that_a_generator_made_is_told_from_its_image_where_the_adjuster_reaches_both(self) -> None:
        far = {6.5e6: 6.6e6, 11e6: 11.2e6, 17e6: 17.5e6}
        for means, images in (("generator", 1), ("swing", 1), ("counter", 0)):
            least = decided(far, band="SW", means=means).option("least-worst")
            assert least
            steps = [s for g in least.groups for s in g["steps"] if s["kind"] == "image"]
            self.assertEqual(bool(steps), bool(images), means)
            for step in steps:
                self.assertAlmostEqual(step["aim"]["at_hz"] - step["aim"]["other_hz"], 2 * 468e3)
        medium = decided({600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}, means="generator").option("least-worst")
        assert medium
        self.assertFalse([s for g in medium.groups for s in g["steps"] if s["kind"] == "image"])

    def test_what_does_not_fit_is_said_before_anything_is_advised(self) -> None:
        for receives, said in (
            ({600e3: 605e3, 1000e3: 1005e3, 1400e3: 1405e3}, "at every mark alike"),
            ({600e3: 603e3, 1000e3: 1206e3, 1400e3: 1409e3}, "does not fit the others"),
            ({600e3: 160e3, 1000e3: 208e3, 1400e3: 258e3}, "These are not readings of medium wave"),
            ({600e3: 603e3}, "One mark is too few"),
        ):
            with self.subTest(said):
                found = decided(receives, means="generator")
                self.assertIn(said, found.sentence)
                self.assertEqual((found.advised, found.tone), ("again", "danger"))

    def test_what_a_counter_reads_off_the_oscillator_says_nothing_of_the_strip(self) -> None:
        found = decided({600e3: 605e3, 1000e3: 1005e3, 1400e3: 1405e3}, means="counter")
        self.assertNotIn("at every mark alike", found.sentence)
        self.assertNotEqual(found.advised, "again")

    def test_what_was_read_twice_and_still_does_not_fit_is_not_read_for_ever(self) -> None:
        receives = {600e3: 603e3, 1000e3: 1206e3, 1400e3: 1409e3}
        first = decided(receives).option("again")
        assert first is not None
        again = first.groups[0]
        plan = plan_of(MODEL, PHASE)
        at = next(g for g in plan.groups if g.steps[0].set_up.tuning.band == "MW")
        grown = plan.grown([resolved_group(again, MODEL.adjusters)], after=at.id)
        last = grown.group(again["id"])
        read = [
            Visit(i, Place(g.id, step.id, 1), outcome="take", detail={"receives_hz": receives[step.aim["mark_hz"]], "sigma_hz": 20.0})
            for i, (g, step) in enumerate((g, step) for g in (at, last) for step in g.steps)
        ]
        found = dial_decision(MODEL, RunState("decision", grown, Place(last.id, None, 1), visits=tuple(read)), last, {})
        self.assertEqual((found.advised, found.tone), ("leave", "danger"))
        self.assertIn("Read twice, and the same", found.evidence)

    def test_a_strip_beside_its_frequency_is_said_before_the_dial_is_touched(self) -> None:
        found = decided({600e3: 588e3, 1000e3: 1006e3, 1400e3: 1431e3}, strip_hz=463e3)
        self.assertIn("no adjuster of this band does that", found.sentence)
        self.assertIn("463", found.evidence)

    def test_nothing_read_is_no_ground_for_advice(self) -> None:
        self.assertIn("Nothing was read", decided({}).sentence)


class Bands(unittest.TestCase):
    def test_each_dossier_s_bands_are_solved_with_the_adjusters_that_it_lists(self) -> None:
        turns = {band.band.id: tuple(band.adjusters.values()) for band in dial_bands(MODEL).values()}
        self.assertEqual(turns, {"LW": ("T5", "C21"), "MW": ("T4", "C20"), "SW": ("L6", "T3")})

    def test_an_error_is_also_so_many_millimetres_of_the_scale(self) -> None:
        band = dial_bands(MODEL)["MW"]
        self.assertAlmostEqual(band.error_mm(dial_hz=1000e3, error_hz=10e3), (137.7 - 117.3) / 20.0, places=6)
        self.assertLess(band.error_mm(dial_hz=600e3, error_hz=-5e3), 0.0)


class DecidedAnew(unittest.TestCase):
    def test_gone_back_to_and_decided_otherwise_what_followed_before_no_longer_does(self) -> None:
        plan = plan_of(MODEL, PHASE)
        group = plan.groups[0]
        acts: list[Act] = []
        for step in group.steps:
            said = {"receives_hz": 1.03 * float(step.aim["mark_hz"]), "sigma_hz": 20.0}
            acts += [_act(len(acts) + 1, "begin", step.id), _act(len(acts) + 2, "take", step.id, **said)]
        found = dial_decision(MODEL, fold(plan, acts), group, {})
        way = found.option("least-worst")
        assert way is not None
        decide = {"group_id": group.id, "round": 1, "go_on": False}
        resolved = [resolved_group(g, MODEL.adjusters) for g in way.groups]
        led = fold(plan, [*acts, Act(20, "decide", "", {**decide, "groups": resolved})])
        self.assertEqual(led.place and led.place.group_id, "move-lw-1")
        last = group.steps[-1].id
        back = [
            Act(21, "back", "", {"visit": acts[-2].id}),
            _act(22, "begin", last),
            _act(23, "take", last, receives_hz=2e5),
        ]
        again = fold(plan, [*acts, Act(20, "decide", "", {**decide, "groups": resolved}), *back, Act(24, "decide", "", decide)])
        self.assertEqual(again.place and again.place.group_id, plan.groups[1].id)
