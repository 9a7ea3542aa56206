import math
import unittest

from calm_needle.core.soundness.entry_judges import taps_drawn, worth_it
from calm_needle.core.soundness.entry_kinds import KINDS, check
from calm_needle.errors import FieldsRefused

WORTH = {"hours_low": "4", "hours_high": "9", "rate": "30", "parts_low": "15", "parts_high": "60", "value": "600"}


class Intake(unittest.TestCase):
    def test_what_is_wanted_is_asked_for_by_name(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            check(KINDS["paper"], {"title": " ", "trust": "hearsay"})
        self.assertEqual(set(caught.exception.faults), {"title", "trust"})
        self.assertEqual(check(KINDS["paper"], {"title": "sheet 2", "trust": "a sister model’s"})["differences"], "")

    def test_the_cost_to_finish_against_what_it_is_worth(self) -> None:
        self.assertEqual(worth_it(check(KINDS["worth"], WORTH))[:3], (135.0, 330.0, "go"))
        self.assertEqual(worth_it({**WORTH, "value": "400"}).advice, "ask")
        self.assertEqual(worth_it({**WORTH, "value": "100"}).advice, "stop")

    def test_what_is_judged_by_its_figures(self) -> None:
        for kind, entry, state in (
            ("warmth", {"part": "R14", "minutes": "15", "degrees": "50"}, "good"),
            ("warmth", {"part": "R14", "minutes": "3", "degrees": "50"}, "watch"),
            ("warmth", {"part": "R14", "minutes": "15", "degrees": "95"}, "watch"),
            ("warmth", {"part": "R14", "minutes": "3", "degrees": "130"}, "stop"),
            ("room noise", {"on_v": "84m", "off_v": "21m"}, "stop"),
            ("room noise", {"on_v": "22m", "off_v": "21m"}, "good"),
            ("room noise", {"on_v": "0", "off_v": "21m"}, "watch"),
            ("gang short", {"ohm": "0.4", "away_ohm": "100M"}, "stop"),
            ("comparison", {"unit": "V", "suspect": "231 V", "good": "240"}, "good"),
            ("comparison", {"unit": "Ω", "suspect": "5.4", "good": "6.8"}, "watch"),
            ("comparison", {"unit": "Ω", "suspect": "68", "good": "6.8"}, "stop"),
            ("comparison", {"unit": "V", "suspect": "68", "good": "0"}, "watch"),
            ("gang short", {"ohm": "2k", "away_ohm": "100M"}, "stop"),
            ("gang short", {"ohm": "0.4", "away_ohm": "0.5"}, "watch"),
            ("gang short", {"ohm": "100M", "away_ohm": "100M"}, "good"),
        ):
            judge = KINDS[kind].judge
            assert judge
            self.assertEqual(judge(entry).state, state, f"{kind} {entry}")

    def test_taps_stand_in_their_order_and_a_pair_that_hangs_on_nothing_draws_nothing(self) -> None:
        for pairs, tags, ohms in (
            ("2-3 12; 1-2 4.1; 1-3 16", ("1", "2", "3"), (4.1, 12.0)),
            ("a-c 16; c-b 4", ("a", "c", "b"), (16.0, 4.0)),
            ("1-2 open; 2-3 12", ("1", "2", "3"), (math.inf, 12.0)),
            ("3-4 16; 1-2 4.1; 2-3 open", ("1", "2", "3", "4"), (4.1, math.inf, 16.0)),
            ("1-2 4; 1-3 16; 1-4 21", ("1", "2", "3", "4"), (4.0, 12.0, 5.0)),
        ):
            drawn = taps_drawn({"winding": "L3", "pairs": pairs})
            assert drawn
            self.assertEqual((tuple(drawn.tags), tuple(drawn.ohms)), (tags, ohms), pairs)
        self.assertIsNone(taps_drawn({"winding": "L3", "pairs": "1-2 4; 3-4 5"}))

    def test_a_comparison_is_in_one_unit(self) -> None:
        entry = {"what": "IFT2 primary", "unit": "Ω", "suspect": "6.9 V", "good": "six", "which": "IFT1"}
        with self.assertRaises(FieldsRefused) as caught:
            check(KINDS["comparison"], entry)
        self.assertEqual(set(caught.exception.faults), {"suspect", "good"})
        self.assertEqual(check(KINDS["comparison"], {**entry, "suspect": "6.9", "good": "6.8 Ω"})["good"], "6.8 Ω")

    def test_a_range_the_wrong_way_round_is_refused(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            check(KINDS["worth"], {**WORTH, "hours_high": "2", "parts_low": "-3"})
        self.assertEqual(set(caught.exception.faults), {"parts_low"})
        with self.assertRaises(FieldsRefused):
            check(KINDS["worth"], {**WORTH, "hours_high": "2"})
