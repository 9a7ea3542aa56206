import math
import unittest
from typing import Any

from calm_needle.core.physics.coils import COPPER_OHM_M, multilayer_h
from calm_needle.core.physics.resonance import resonant_frequency_hz
from calm_needle.core.soundness.guided.piece import Piece, read_answers
from calm_needle.core.soundness.guided.pieces import PIECES, Standing, stand
from calm_needle.core.soundness.guided.small_works import judge_heater
from calm_needle.core.soundness.guided.which_can import likelihoods
from calm_needle.core.soundness.guided.will_not_peak import judge_leak, judge_repeats
from calm_needle.errors import FieldsRefused

FACTS: dict[str, object] = {"photographs": 3, "leads_pinned": 2, "consent": True, "start_done": True}


class GuidedTest(unittest.TestCase):
    """A piece of work with answers that lead through it; each test changes some of them."""

    piece: Piece
    right: dict[str, dict[str, Any]]

    def standing(self, facts: dict[str, object] = FACTS, **changed: Any) -> Standing:
        answers = {name: {k: changed.get(k, v) for k, v in stage.items()} for name, stage in self.right.items()}
        return stand(self.piece, answers, facts)

    def stops_at(self, stage: str, words: str, facts: dict[str, object] = FACTS, **changed: Any) -> None:
        found = self.standing(facts, **changed)
        self.assertEqual(found.said[stage].state, "stop", found.said[stage])
        self.assertIn(words, found.said[stage].sentence)
        self.assertFalse(found.through)


class OpenCapacitor(GuidedTest):
    """J3: no dip until a capacitor is put across; near-misses are other faults."""

    piece = PIECES["open-capacitor"]
    right = {  # noqa: RUF012
        "answers": {"turns_tried": 2.0, "change_db": 0.1},
        "winding": {"ohm_here": 6.9, "ohm_sister": 6.8, "l_min_h": 845e-6, "l_max_h": 1085e-6, "l_sister_h": 960e-6},
        "dip": {"dip_db": 0.2, "across_f": 120e-12, "dip_across_db": 14.0},
        "choose": {"if_hz": 468e3, "stray_f": 8e-12},
        "measured": {"c_measured_f": 111e-12},
        "after": {"peak_percent": 48.0},
    }

    def test_the_way_through_names_the_capacitor_and_its_value(self) -> None:
        found = self.standing()
        self.assertTrue(found.through)
        self.assertIn("the one inside is open", found.said["dip"].sentence)
        self.assertIn("110\u2009pF", found.said["choose"].sentence)

    def test_near_misses_are_told_apart(self) -> None:
        self.stops_at("answers", "answers its core", change_db=6.0)
        self.stops_at("winding", "itself is open", ohm_here=math.inf)
        self.stops_at("winding", "shorted turns", ohm_here=4.0)
        self.stops_at("winding", "poor joint", ohm_here=12.0)
        self.stops_at("winding", "held by wax", l_min_h=1080e-6)
        self.stops_at("answers", "tells nothing", turns_tried=0.1, change_db=0.02)
        self.stops_at("winding", "what is metered is leakage", ohm_here=1.2e6)
        self.stops_at("winding", "shorted turns", l_sister_h=2.2e-3)
        self.stops_at("winding", "another winding", l_sister_h=500e-6)
        self.stops_at("choose", "does not belong to this frequency", l_min_h=12e-3, l_max_h=15e-3, l_sister_h=13.4e-3)
        self.stops_at("dip", "its capacitor is there", dip_db=12.0)
        self.stops_at("dip", "shorted turns", dip_across_db=1.0)

    def test_a_shallow_dip_counts_and_the_measured_value_decides(self) -> None:
        self.assertIn("Only a shallow dip", self.standing(dip_db=2.0).said["dip"].sentence)
        self.stops_at("measured", "ends before it gets there", c_measured_f=150e-12)
        self.assertEqual(self.standing(c_measured_f=101e-12).said["measured"].state, "watch")


class Rewind(GuidedTest):
    """J4: the sister is the pattern where L, C and f agree; nothing irreversible before it is recorded."""

    piece = PIECES["rewind"]
    former = {"mean_d_m": 0.016, "width_m": 0.006, "depth_m": 0.004}  # noqa: RUF012
    turns = 778.0
    l_h = multilayer_h(turns=turns, mean_radius_m=0.008, length_m=0.006, depth_m=0.004)
    wire_m = 0.095e-3
    ohm = COPPER_OHM_M * math.pi * 0.016 * turns / (math.pi * wire_m**2 / 4)
    right = {  # noqa: RUF012
        "open": {"ohm_found": math.inf, "end_found": "no"},
        "sister": {
            "sister_l_h": l_h,
            "sister_ohm": ohm,
            "c_found_f": 168e-12,
            "f_found_hz": resonant_frequency_hz(l_h=l_h, c_f=178e-12),
        },
        "recorded": {"direction": "clockwise", "start_lead": "1", "finish_lead": "2", "carries_dc": "yes"},
        "plan": {"sample_m": 1.0, "sample_ohm": COPPER_OHM_M / (math.pi * wire_m**2 / 4), **former},
        "wound": {"turns_wound": turns},
        "measured": {"new_l_h": l_h * 1.01, "new_ohm": ohm},
        "fitted": {"as_before": "yes"},
    }

    def test_the_way_through_finds_turns_and_wire(self) -> None:
        found = self.standing()
        self.assertTrue(found.through)
        self.assertIn("Wind 778 turns of 95\u2009µm", found.said["plan"].sentence)
        self.assertIn("plan to wind both", found.said["recorded"].sentence)

    def test_a_winding_that_is_not_open_is_not_cut(self) -> None:
        self.stops_at("open", "It is not open", ohm_found=95.0)
        self.assertIn("bridge it", self.standing(end_found="yes").said["open"].sentence)

    def test_a_sister_that_does_not_agree_is_no_pattern(self) -> None:
        self.stops_at("sister", "do not agree", f_found_hz=100e3)
        self.assertEqual(self.standing(f_found_hz=120e3).said["sister"].state, "watch")

    def test_nothing_irreversible_before_photographs(self) -> None:
        self.stops_at("recorded", "Nothing irreversible", facts={**FACTS, "photographs": 0})
        self.assertNotIn("wound", self.standing({**FACTS, "photographs": 0}).may_answer)
        self.stops_at("recorded", "pin a lead where the winding starts", facts={**FACTS, "leads_pinned": 0})
        self.assertIn("owner’s word", self.standing({**FACTS, "consent": False}).said["recorded"].sentence)

    def test_a_difference_is_not_worded_as_a_share(self) -> None:
        said = self.standing(new_l_h=self.l_h * 1.02).said["measured"]
        self.assertIn("inductance: 2.0\u202f% more than the sister’s", said.evidence)

    def test_turns_to_take_off_follow_from_the_square_root(self) -> None:
        self.stops_at("measured", "take off 71 turns", new_l_h=self.l_h * 1.21)
        self.stops_at("measured", "open", new_ohm=math.inf)
        self.stops_at("measured", "far from the sister’s", new_ohm=self.ohm * 0.5)
        self.stops_at("fitted", "Turn it round", as_before="no")


class WillNotPeak(GuidedTest):
    """J7: several causes; it closes only when every gate has passed, and each that fails is a fault of its own."""

    piece = PIECES["will-not-peak"]
    right = {  # noqa: RUF012
        "core": {"seen_inside": "yes", "core_percent": 55.0},
        "rails": {"rail_percent": -3.0},
        "leak": {"leak_cold_ohm": 50e6, "leak_warm_ohm": 40e6, "warm_minutes": 12.0},
        "repeats": {"repeats_v": [0.20, 0.201, 0.199, 0.2, 0.202]},
    }

    def test_all_four_gates_close_it(self) -> None:
        self.assertTrue(self.standing().through)

    def test_one_cure_does_not_close_it(self) -> None:
        for stage, changed in (
            ("core", {"core_percent": 99.0}),
            ("core", {"seen_inside": "no"}),
            ("rails", {"rail_percent": -22.0}),
            ("leak", {"leak_warm_ohm": 300e3}),
            ("repeats", {"repeats_v": [0.2, 0.2, 0.1, 0.2, 0.2]}),
        ):
            found = self.standing(**changed)
            self.assertEqual([n for n, s in found.said.items() if s.state == "stop"], [stage])
            self.assertFalse(found.through)

    def test_faults_stack_and_every_gate_is_gone_through(self) -> None:
        found = self.standing(rail_percent=-22.0, leak_warm_ohm=300e3)
        self.assertEqual([s.state for s in found.said.values()], ["good", "stop", "stop", "good"])

    def test_a_warm_fault_is_not_passed_cold(self) -> None:
        self.assertFalse(self.standing(warm_minutes=2.0).through)
        self.assertFalse(self.standing({**FACTS, "start_done": False}).through)
        self.assertIn("Warmth has nothing to do with it", judge_leak(cold_ohm=1.0, warm_ohm=1.0, minutes=15.0).sentence)
        self.assertEqual(judge_leak(cold_ohm=100e6, warm_ohm=8e6, minutes=15.0).state, "watch")

    def test_once_or_twice_proves_nothing(self) -> None:
        self.assertEqual(judge_repeats([0.2, 0.2]).state, "stop")


class WhichCan(unittest.TestCase):
    def test_clues_make_a_hypothesis_and_a_signal_settles_it(self) -> None:
        chances = likelihoods({"beside": "the gang", "leads": "two or three", "turns_seen": "few, thick wire"})
        self.assertGreater(chances["oscillator"], 0.8)
        self.assertAlmostEqual(sum(chances.values()), 1.0)
        self.assertAlmostEqual(likelihoods({})["oscillator"], 0.25)
        clues: dict[str, object] = {"label": "X1", "beside": "the detector", "leads": "five or more", "turns_seen": "many, fine wire"}
        for change, state in ((4.0, "good"), (-4.0, "good"), (0.1, "stop")):
            found = stand(PIECES["which-can"], {"clues": clues, "injected": {"signal_hz": 468e3, "change_db": change}}, {})
            self.assertEqual(found.said["clues"].state, "watch", "never more than a hypothesis")
            self.assertIn("last IF transformer", found.said["clues"].sentence)
            self.assertEqual(found.said["injected"].state, state)


class SmallWorks(unittest.TestCase):
    def test_in_a_series_chain_the_current_counts_and_across_a_winding_the_volts(self) -> None:
        old = {"old_v": 13.0, "old_a": 0.1}
        self.assertEqual(judge_heater(chain="series", new_v=12.6, new_a=0.15, **old).state, "stop")
        self.assertEqual(judge_heater(chain="series", new_v=26.0, new_a=0.1, **old).state, "watch")
        self.assertEqual(judge_heater(chain="series", new_v=12.6, new_a=0.1, **old).state, "good")
        self.assertEqual(judge_heater(chain="parallel", new_v=4.0, new_a=0.1, **old).state, "stop")
        self.assertEqual(judge_heater(chain="parallel", new_v=13.0, new_a=0.11, **old).state, "good")

    def test_equal_sections_are_not_yet_equal_to_the_old_gang(self) -> None:
        same = [500e-12, 250e-12, 20e-12]
        answers: dict[str, dict[str, object]] = {
            "fits": {"turns_same_way": "yes", "terminals_fit": "yes"},
            "equal": {"section_a_f": same, "section_b_f": same, "coil_h": 180e-6},
            "old": {"old_measured": "no"},
        }
        found = stand(PIECES["gang"], answers, {})
        self.assertEqual(found.said["old"].state, "watch")
        answers["old"] = {"old_measured": "yes", "old_max_f": 440e-12, "new_max_f": 500e-12}
        self.assertIn("Another law", stand(PIECES["gang"], answers, {}).said["old"].sentence)

    def test_a_donor_coil_that_works_at_its_stop_is_another_value(self) -> None:
        self.assertEqual(stand(PIECES["donor-coil"], {"slug": {"slug_percent": 100.0}}, {}).said["slug"].state, "stop")


class Typed(unittest.TestCase):
    def test_every_piece_s_asks_have_names_of_their_own_and_are_refused_when_empty(self) -> None:
        for piece in PIECES.values():
            names = [a.name for s in piece.stages for a in s.asks]
            self.assertEqual(len(names), len(set(names)), piece.name)
            for stage in piece.stages:
                with self.assertRaises(FieldsRefused) as caught:
                    read_answers(stage, {})
                self.assertEqual(set(caught.exception.faults), {a.name for a in stage.asks if not a.optional})

    def test_units_lists_and_open_are_read_and_the_rest_refused(self) -> None:
        stage = PIECES["rewind"].stage("open")
        assert stage
        self.assertEqual(read_answers(stage, {"ohm_found": "OL", "end_found": "no"})["ohm_found"], math.inf)
        with self.assertRaises(FieldsRefused) as caught:
            read_answers(stage, {"ohm_found": "95 kg", "end_found": "perhaps"})
        self.assertEqual(set(caught.exception.faults), {"ohm_found", "end_found"})
