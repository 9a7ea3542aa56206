import json
import math
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_needle.core.physics.levels import level, throw_pads
from calm_needle.core.physics.resonance import complete, resonant_frequency_hz
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.core.physics.superhet import frequency_plan
from calm_needle.core.reckon import answers as calculators
from calm_needle.errors import CalmNeedleError, NoAnswer, NotUnderstood, OutOfRange, UnknownName
from calm_needle.files.svg_picture import draw
from tests.support.properties import steady

GOLDEN = json.loads((Path(__file__).parents[2] / "golden/compute.json").read_text())
positive = st.floats(1e-9, 1e9)


class ReferenceCases(unittest.TestCase):
    def test_every_case_of_the_calculators_there_are(self) -> None:
        cases = [c for c in GOLDEN if c["name"] in calculators.CALCULATORS]
        self.assertEqual(len(cases), len(GOLDEN))
        for case in cases:
            with self.subTest(case["name"], inputs=case["inputs"]):
                results = calculators.answer_values(case["name"], case["inputs"]).results
                for key, wanted in case["results"].items():
                    slack = case["rtol"] * abs(wanted) + case["atol"].get(key, 0.0)
                    self.assertLessEqual(abs(results[key] - wanted), slack, key)


class Refusals(unittest.TestCase):
    def test_a_wrong_name_lists_the_right_ones(self) -> None:
        with self.assertRaises(UnknownName) as caught:
            calculators.answer_text("resonnance", {})
        self.assertIn("resonance", str(caught.exception))
        with self.assertRaises(UnknownName) as caught:
            calculators.answer_text("gain", {"from": "1"})
        self.assertEqual(str(caught.exception), "There is no key of gain “from”. There are: from_v, to_v.")

    def test_a_key_left_out_is_named(self) -> None:
        with self.assertRaises(NotUnderstood) as caught:
            calculators.answer_text("gain", {"from_v": "1"})
        self.assertIn("wants to_v too", str(caught.exception))

    def test_a_value_that_cannot_be_is_named(self) -> None:
        with self.assertRaises(OutOfRange) as caught:
            calculators.answer_text("resonance", {"l_h": "0", "c_f": "100p"})
        self.assertEqual(str(caught.exception), "l_h is 0\u2009H; it must be above zero.")

    def test_strays_lie_across_the_capacitor_and_its_tolerance_counts_by_its_share(self) -> None:
        asked = {"f_hz": "468k", "l_h": "1m", "stray_f": "15p", "l_percent": "4"}
        found = calculators.answer_text("resonance", asked).results
        self.assertAlmostEqual(resonant_frequency_hz(l_h=1e-3, c_f=found["c_f"] + 15e-12), 468e3, delta=1e-3)
        for l_h in (0.96e-3, 1.04e-3):  # what the sum says of the worst, beside the worst itself
            worst = complete(f_hz=468e3, l_h=l_h).c_f - 15e-12
            self.assertAlmostEqual(100.0 * abs(worst / found["c_f"] - 1.0), found["off_percent"], delta=0.05 * found["off_percent"])
        with self.assertRaisesRegex(OutOfRange, "all that resonates there"):
            calculators.answer_text("resonance", {**asked, "stray_f": "150p"})
        plain = calculators.answer_text("resonance", {"l_h": "1m", "c_f": "100p"})
        self.assertEqual((plain.results["total_f"], plain.results["off_percent"]), (100e-12, 0.0))

    def test_an_oscillator_below_that_would_stand_still_has_no_answer(self) -> None:
        with self.assertRaises(NoAnswer):
            frequency_plan(dial_hz=455e3, if_hz=455e3, side="below")


JUNK = st.one_of(
    st.none(),
    st.booleans(),
    st.floats(),
    st.integers(-(10**400), 10**400),
    st.sampled_from([0, -1, 1e308, -1e308, 1e-308, float("inf"), float("nan"), 10**400, [], [0], [float("nan")], [1, 2], "", "x" * 10_000]),
    st.text(max_size=20),
    st.lists(st.floats(), max_size=20),
    st.lists(st.floats(1e-12, 1e9), max_size=8),
)
TYPED_JUNK = st.one_of(
    st.text(max_size=30),
    st.sampled_from(["", "0", "-1", "1e308", "1e-300", "inf", "nan", "5 V", "5 Hz", "5 furlongs", ";", "1;2;3", "1,2,3", "4k7"]),
    st.sampled_from(["x" * 10_000, "1;" * 6000]),
)
NAMES = sorted(calculators.CALCULATORS)


def examples(name: str) -> dict[str, str]:
    return {k.name: k.example for k in calculators.find(name).keys if k.example}


def a_tone(name: str) -> Recording:
    t = np.arange(8000) / 8000.0
    return Recording(8000.0, 0.5 * np.sin(2 * math.pi * 440.0 * t) + 1e-3 * np.cos(t**2 * 6.4e7), name)


class EveryCalculator(unittest.TestCase):
    def test_each_answers_its_own_example_with_words_derivation_and_picture(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                calculator = calculators.find(name)
                typed = {**examples(name), **({"file": "x.wav"} if name == "sinad" else {})}
                answer = calculators.answer_text(name, typed, read_file=a_tone)
                self.assertEqual(set(answer.results), {r.name for r in calculator.results}, "every result has a label")
                self.assertEqual(answer.doubts, ())
                for text in (calculators.in_words(calculator, answer), *calculators.derivation(calculator, answer)):
                    self.assertNotRegex(text, r"[{}]|nan|inf\b|\(not given\) [^a-z]", text)
                self.assertIn("<svg", draw(calculator.picture(answer.inputs, answer.results)))
                self.assertTrue(answer.notes)
                json.dumps(answer.as_dict(), allow_nan=False)

    def test_each_says_its_keys_and_results_in_one_way(self) -> None:
        for name in NAMES:
            calculator = calculators.find(name)
            self.assertTrue(all(k.label for k in calculator.keys), name)
            for key in calculator.keys:
                suffix = {"Hz": "_hz", "H": "_h", "F": "_f", "Ω": "ohm", "s": "_s", "m": "_m", "dBm": "dbm"}.get(key.unit)
                self.assertTrue(suffix is None or key.name.endswith(suffix), f"{name}.{key.name}")

    @settings(steady, max_examples=400)
    @given(st.sampled_from(NAMES), st.data())
    def test_whatever_a_script_sends_is_answered_or_refused_by_the_name_of_a_key(self, name: str, data: st.DataObject) -> None:
        calculator = calculators.find(name)
        inputs: dict[str, Any] = {k.name: calculators.read_text(k, k.example) for k in calculator.keys if k.example and k.kind != "file"}
        spoiled = data.draw(st.lists(st.sampled_from(calculator.key_names), min_size=1, max_size=3, unique=True))
        inputs |= {k: data.draw(JUNK) for k in spoiled}
        self.check(name, lambda: calculators.answer_values(name, inputs))

    @settings(steady, max_examples=400)
    @given(st.sampled_from(NAMES), st.data())
    def test_whatever_a_person_types_is_answered_or_refused_by_the_name_of_a_key(self, name: str, data: st.DataObject) -> None:
        typed = examples(name)
        spoiled = data.draw(st.lists(st.sampled_from(calculators.find(name).key_names), min_size=1, max_size=2, unique=True))
        typed |= {k: data.draw(TYPED_JUNK) for k in spoiled}
        self.check(name, lambda: calculators.answer_text(name, typed))

    def check(self, name: str, ask: Callable[[], calculators.Answer]) -> None:
        try:
            answer = ask()
        except CalmNeedleError as fault:
            self.assertLess(len(str(fault)), 600)
            self.assertTrue(any(k in str(fault) for k in (*calculators.find(name).key_names, "number of known")), str(fault))
            return
        for value in answer.results.values():
            for one in value if isinstance(value, list) else [value]:
                self.assertTrue(isinstance(one, str | bool) or math.isfinite(one), answer)
        calculator = calculators.find(name)
        calculators.in_words(calculator, answer)
        calculators.derivation(calculator, answer)

    def test_a_quantity_out_of_all_scale_is_asked_about(self) -> None:
        answer = calculators.answer_text("frequency-plan", {"dial_hz": "1200 MHz", "if_hz": "455 MHz", "side": "above"})
        self.assertEqual([(d.key, d.likely) for d in answer.doubts], [("dial_hz", "1.20\u2009MHz"), ("if_hz", "455\u2009kHz")])
        self.assertIn("Was 455\u2009kHz meant?", answer.as_dict()["notes"][-1])


class ResonanceProperties(unittest.TestCase):
    @steady
    @given(positive, positive)
    def test_four_times_the_capacitance_halves_the_frequency(self, l_h: float, c_f: float) -> None:
        one, four = resonant_frequency_hz(l_h=l_h, c_f=c_f), resonant_frequency_hz(l_h=l_h, c_f=4 * c_f)
        self.assertTrue(math.isclose(one, 2 * four, rel_tol=1e-12))

    @steady
    @given(positive, positive)
    def test_any_two_give_the_third_back(self, l_h: float, c_f: float) -> None:
        f_hz = complete(l_h=l_h, c_f=c_f).f_hz
        self.assertTrue(math.isclose(complete(f_hz=f_hz, c_f=c_f).l_h, l_h, rel_tol=1e-12))
        self.assertTrue(math.isclose(complete(f_hz=f_hz, l_h=l_h).c_f, c_f, rel_tol=1e-12))


class LevelProperties(unittest.TestCase):
    @steady
    @given(st.floats(1e-9, 100), st.floats(0.1, 1e5))
    def test_every_form_leads_back_to_the_same_level(self, emf_v: float, r_ohm: float) -> None:
        first = level(emf_v=emf_v, r_ohm=r_ohm)
        for name, value in first._asdict().items():
            again = level(r_ohm=r_ohm, **{name: value})
            for a, b in zip(first, again, strict=True):
                self.assertTrue(math.isclose(a, b, rel_tol=1e-9, abs_tol=1e-9), name)

    def test_a_milliwatt_in_fifty_ohms(self) -> None:
        self.assertAlmostEqual(level(dbm=0.0, r_ohm=50).pd_v, 0.2236068, places=6)

    @steady
    @given(st.lists(st.integers(1, 40), min_size=1, max_size=8), st.integers(0, 160))
    def test_pads_never_exceed_the_loss_and_no_other_sum_comes_nearer(self, pads: list[int], loss: int) -> None:
        thrown = throw_pads(pads_db=pads, loss_db=loss)
        sums = {0}
        for pad in pads:
            sums |= {s + pad for s in sums}
        self.assertEqual(thrown.total_db, max(s for s in sums if s <= loss))
        self.assertEqual(thrown.total_db + thrown.remainder_db, loss)

    def test_among_equal_sums_the_fewest_pads_are_thrown(self) -> None:
        self.assertEqual(throw_pads(pads_db=[3, 3, 6, 12], loss_db=12).thrown_db, [12])
