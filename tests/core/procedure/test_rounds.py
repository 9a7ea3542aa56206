import unittest

from calm_needle.core.dossier.model import RoundRule
from calm_needle.core.physics.passband import passband
from calm_needle.core.procedure.level_keeper import keep_level
from calm_needle.core.procedure.needle import level_scale, value_scale
from calm_needle.core.procedure.rounds import Gain, judge_rounds


def a_round(*gains: float | None) -> list[Gain]:
    return [Gain(f"core {i}", g) for i, g in enumerate(gains)]


class AnotherRound(unittest.TestCase):
    def test_what_a_round_gained_is_the_sum_of_what_its_cores_are_said_to_have_gained(self) -> None:
        cores = [Gain("L1", 3.456, 0.02), Gain("L2", 1.234, 0.9), Gain("L3", 1.871, 0.01), Gain("L4", -0.004, 0.01), Gain("L5", None)]
        verdict = judge_rounds([cores], rule=RoundRule("dB", 0.2, 5))
        self.assertIn("Gained per round: +6.56 dB.", verdict.evidence.replace("\u2009", " "))
        self.assertIn("5.33 dB is more than the needle’s wander", verdict.evidence)

    def test_a_round_in_which_all_was_left_out_says_nothing_of_how_it_stands(self) -> None:
        verdict = judge_rounds([[Gain("IFT1 upper", None), Gain("IFT1 lower", None)]], rule=RoundRule("dB", 0.2, 5))
        self.assertFalse(verdict.go_on)
        self.assertNotIn("found right", verdict.sentence)
        self.assertIn("not known", verdict.evidence)

    def test_it_goes_on_while_there_is_something_to_gain(self) -> None:
        verdict = judge_rounds([a_round(2.0, 1.5, 3.0, 0.5)], rule=RoundRule("dB", 0.2, 5))
        self.assertTrue(verdict.go_on)
        self.assertAlmostEqual(verdict.expected, 2.1)

    def test_it_stops_when_what_shrinks_is_no_longer_worth_it(self) -> None:
        verdict = judge_rounds([a_round(4.0, 3.0), a_round(0.4, 0.3)], rule=RoundRule("dB", 0.2, 5))
        self.assertFalse(verdict.go_on)
        self.assertAlmostEqual(verdict.expected, 0.07)
        self.assertIn("less than the 0.2 dB that counts", verdict.sentence)

    def test_gains_that_do_not_shrink_ask_for_more(self) -> None:
        self.assertTrue(judge_rounds([a_round(1.0), a_round(0.9)], rule=RoundRule("dB", 0.2, 5)).go_on)

    def test_a_strip_found_right_is_left(self) -> None:
        verdict = judge_rounds([a_round(0.02, 0.05, -0.01, 0.0)], rule=RoundRule("dB", 0.2, 5))
        self.assertFalse(verdict.go_on)
        self.assertIn("found right", verdict.sentence)

    def test_a_core_left_lower_than_it_began_is_named(self) -> None:
        verdict = judge_rounds([a_round(3.0, 1.0), a_round(0.1, -0.5)], rule=RoundRule("dB", 0.2, 5))
        self.assertTrue(verdict.go_on)
        self.assertIn("core 1 ended lower", verdict.sentence)

    def test_a_core_without_a_peak_neither_gains_nor_loses(self) -> None:
        self.assertFalse(judge_rounds([a_round(None, 0.05)], rule=RoundRule("dB", 0.2, 5)).go_on)

    def test_the_most_rounds_are_the_most(self) -> None:
        self.assertFalse(judge_rounds([a_round(5.0)] * 3, rule=RoundRule("dB", 0.2, 3)).go_on)


class LevelKeeper(unittest.TestCase):
    def test_inside_its_window_nothing_is_moved(self) -> None:
        self.assertIsNone(keep_level(indicator_v=0.2, window_v=(0.05, 0.5), level_v=1e-3))

    def test_above_it_the_generator_goes_down_and_the_words_say_why(self) -> None:
        move = keep_level(indicator_v=1.2, window_v=(0.05, 0.5), level_v=1e-3)
        assert move is not None
        self.assertLess(move.level_v, 1e-3)
        self.assertIn("gain control", move.evidence)

    def test_below_it_the_generator_goes_up_and_never_beyond_the_window(self) -> None:
        move = keep_level(indicator_v=0.01, window_v=(0.05, 0.5), level_v=1e-4)
        assert move is not None
        self.assertTrue(0.05 <= 0.01 * move.level_v / 1e-4 <= 0.5)

    def test_what_no_generator_can_give_is_not_asked_for(self) -> None:
        self.assertIsNone(keep_level(indicator_v=1.2, window_v=(0.05, 0.5), level_v=1e-6))


class PassBand(unittest.TestCase):
    def test_centre_and_width_of_a_symmetrical_response(self) -> None:
        f = [460e3 + 1e3 * i for i in range(17)]
        band = passband(frequencies_hz=f, levels_db=[-(((x - 468e3) / 2e3) ** 2) for x in f])
        assert band and band.centre_hz and band.width_hz
        self.assertAlmostEqual(band.peak_hz, 468e3, delta=1)
        self.assertAlmostEqual(band.centre_hz, 468e3, delta=1)
        self.assertAlmostEqual(band.width_hz, 2 * 2e3 * 6**0.5, delta=60)

    def test_an_edge_outside_the_sweep_is_not_made_up(self) -> None:
        band = passband(frequencies_hz=[1, 2, 3, 4, 5], levels_db=[-1, -0.5, 0, -4, -9])
        assert band
        self.assertIsNone(band.low_hz)
        self.assertIsNone(band.width_hz)
        self.assertIsNotNone(band.high_hz)

    def test_too_few_points_are_no_response(self) -> None:
        self.assertIsNone(passband(frequencies_hz=[1, 2, 3], levels_db=[0, 1, 0]))


class NeedleScale(unittest.TestCase):
    def test_all_that_was_seen_is_on_it(self) -> None:
        for low, high in ((0, 0), (-5, 7), (-8, 12), (-14, 20), (-28, 30)):
            scale = level_scale(lowest=low, highest=high)
            self.assertTrue(scale.low < low and high < scale.high)

    def test_for_a_null_the_room_is_below(self) -> None:
        scale = level_scale(lowest=-12, highest=0, goal="minimum")
        self.assertLess(scale.low, -12)
        self.assertLess(scale.high, -scale.low)

    def test_any_other_quantity_is_read_in_steps_of_one_two_or_five(self) -> None:
        for low, high in ((0.0, 0.06), (-0.3, 0.4), (467.2, 468.9), (3.0, 3.0)):
            scale = value_scale(lowest=low, highest=high)
            self.assertTrue(scale.low <= low and high <= scale.high)
            self.assertIn(float(f"{scale.step:.0e}".split("e")[0]), (1.0, 2.0, 5.0))
            self.assertLess((scale.high - scale.low) / scale.step, 10.0)

    def test_rounds_are_judged_in_whatever_unit_their_rule_has(self) -> None:
        rule = RoundRule("Hz", 200.0, 6)
        again = judge_rounds([[Gain("padder", 4000.0), Gain("trimmer", 9000.0)]], rule=rule, noun="adjusters")
        self.assertTrue(again.go_on)
        self.assertIn("13.0\u2009kHz", again.evidence)
        enough = judge_rounds([[Gain("padder", 4000.0)], [Gain("padder", 300.0)]], rule=rule)
        self.assertFalse(enough.go_on)
        self.assertIn("less than the 200\u2009Hz that counts", enough.sentence)
