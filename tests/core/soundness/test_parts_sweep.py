import math
import unittest

from hypothesis import example, given
from hypothesis import strategies as st

from calm_needle.core.soundness.parts_sweep import Measured, Part, beside, classes, judge_part, judge_sweep, tally
from tests.support.properties import steady

R = Part("R1", "resistor", "R1", 22e3, 20.0, "mixer", "", False)
C = Part("C1", "capacitor", "C1", 10e-12, 10.0, "mixer", "", False)


def now(*values: float, in_circuit: bool = False) -> list[Measured]:
    return [Measured(v, in_circuit, False) for v in values]


class OnePart(unittest.TestCase):
    def test_in_marginal_out_and_open(self) -> None:
        for value, state in ((24e3, "in"), (28e3, "near"), (40e3, "out"), (12e3, "out"), (math.inf, "out")):
            self.assertEqual(judge_part(R, now(value)).state, state, value)
        self.assertEqual(judge_part(R, []).state, "blank")

    def test_low_in_circuit_cannot_be_said_and_high_can(self) -> None:
        self.assertIn("lift one end", judge_part(R, now(9e3, in_circuit=True)).sentence)
        self.assertEqual(judge_part(R, now(60e3, in_circuit=True)).state, "out")

    def test_a_few_picofarads_cannot_be_said(self) -> None:
        self.assertEqual(judge_part(C, now(11.5e-12)).state, "cannot say")
        self.assertEqual(judge_part(C, now(30e-12)).state, "out")

    def test_one_pass_does_not_clear_a_weak_kind(self) -> None:
        weak = R._replace(weak=True)
        self.assertEqual(judge_part(weak, now(22e3)).state, "cannot say")
        self.assertEqual(judge_part(weak, now(22e3, 22.1e3)).state, "in")

    def test_a_new_part_begins_anew(self) -> None:
        history = [*now(40e3), Measured(22.1e3, False, True)]
        self.assertEqual(judge_part(R, history).state, "in")

    @steady
    @example(0.7, 1.0)  # exactly at half as much again as it may be off
    @given(st.floats(0.1, 3.0), st.floats(1.0, 1e7))
    def test_only_the_ratio_to_the_marking_counts(self, ratio: float, nominal: float) -> None:
        scaled = judge_part(R._replace(nominal=nominal * 100.0), now(nominal * 100.0 * ratio))
        self.assertEqual(scaled.state, judge_part(R, now(22e3 * ratio)).state)


class TheWhole(unittest.TestCase):
    CAN = (
        Part("a", "capacitor", "reservoir", 32e-6, 30.0, "supply", "C30", False),
        Part("b", "capacitor", "smoothing", 32e-6, 30.0, "supply", "C30", False),
    )

    def test_a_can_with_one_bad_section_is_replaced_whole(self) -> None:
        verdicts = {"a": judge_part(self.CAN[0], now(11e-6)), "b": judge_part(self.CAN[1], now(31e-6))}
        found = judge_sweep(self.CAN, verdicts)
        self.assertFalse(found.passed)
        self.assertEqual(found.evidence, ("C30: a is bad, so replace the whole can; its sections are of one age.",))

    def test_what_is_blank_or_undecided_keeps_it_open(self) -> None:
        verdicts = {"a": judge_part(self.CAN[0], now(31e-6)), "b": judge_part(self.CAN[1], [])}
        self.assertEqual(judge_sweep(self.CAN, verdicts).sentence, "1 of 2 parts are sound; 1 to be measured.")
        self.assertEqual(tally(verdicts.values()).blank, 1)

    def test_all_sound_passes(self) -> None:
        verdicts = {p.id: judge_part(p, now(32e-6)) for p in self.CAN}
        self.assertTrue(judge_sweep(self.CAN, verdicts).passed)


class AsAClass(unittest.TestCase):
    def part(self, name: str, region: str = "mixer", nominal: float = 10e3) -> Part:
        return Part(name, "resistor", name, nominal, 10.0, region, "", weak=False)

    def test_resistors_that_have_all_gone_high_are_said_to_have_drifted_as_a_class(self) -> None:
        parts = [self.part(f"R{i}") for i in range(6)]
        (high,) = classes(parts, {p.id: 11.5e3 + 100.0 * i for i, p in enumerate(parts)})
        self.assertIn("drifted as a class", high.words)
        self.assertEqual(high.worst, "R5")
        (spread,) = classes(parts, {p.id: 10e3 + 1500.0 * (-1) ** i for i, p in enumerate(parts)})
        self.assertNotIn("as a class", spread.words)
        self.assertEqual(classes(parts, {"R1": 10e3}), [])

    def test_one_that_is_far_out_a_few_of_many_or_new_ones_make_no_class(self) -> None:
        parts = [self.part(f"R{i}") for i in range(13)]
        ruined = {"R0": 10e3, "R1": 10.1e3, "R2": 9.9e3, "R3": 10e3, "R4": 40e3}
        (one,) = classes(parts, ruined)
        self.assertNotIn("as a class", one.words)  # the mean is 60 % high, the median right
        high = {f"R{i}": 12e3 for i in range(4)}
        self.assertNotIn("as a class", classes(parts, high)[0].words)  # 4 of 13
        self.assertIn("as a class", classes(parts, high | {"R4": 12e3})[0].words)  # 5 of 13
        (aged,) = classes(parts, high | {"R4": 12e3, "R5": 10e3}, new={"R5"})
        self.assertEqual((aged.measured, aged.of), (5, 12))

    def test_what_stands_beside_earlier_work_is_suspect_and_nothing_else(self) -> None:
        parts = [self.part("R1"), self.part("R2"), self.part("R3", "output"), self.part("R4", "output")]
        self.assertEqual(beside(parts, {"R1"}, ()), {"R2"})
        self.assertEqual(beside(parts, (), ["around the output valve"]), {"R3", "R4"})
        self.assertEqual(beside(parts, (), ["a scorched R2"]), {"R1", "R2"})
        self.assertEqual(beside(parts, (), ["nowhere"]), set())

    def test_another_value_that_is_fitted_is_left_asked_about_or_replaced(self) -> None:
        part = self.part("R1")
        for marked, measured, state, words in (
            (12e3, 12.1e3, "near", "Ask before it is replaced"),
            (12e3, 10.4e3, "near", "leave it"),
            (12e3, 17e3, "out", "replace it, by what is drawn"),
            (47e3, 47e3, "out", "Ask before it is replaced"),
        ):
            judged = judge_part(part, [Measured(measured, in_circuit=False, replaced=False, marked=marked)])
            self.assertEqual(judged.state, state, (marked, measured))
            self.assertIn(words, judged.sentence)
