import json
import math
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core import calculators
from calm_needle.core.levels import level, throw_pads
from calm_needle.core.resonance import complete, resonant_frequency_hz
from calm_needle.core.superhet import frequency_plan
from calm_needle.errors import CalmNeedleError, NoAnswer, NotUnderstood, OutOfRange, UnknownName
from tests.support.properties import steady

GOLDEN = json.loads((Path(__file__).parents[1] / "golden/compute.json").read_text())
positive = st.floats(1e-9, 1e9)


class ReferenceCases(unittest.TestCase):
    def test_every_case_of_the_calculators_there_are(self) -> None:
        cases = [c for c in GOLDEN if c["name"] in calculators.CALCULATORS]
        self.assertGreaterEqual(len(cases), 15)
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

    def test_an_oscillator_below_that_would_stand_still_has_no_answer(self) -> None:
        with self.assertRaises(NoAnswer):
            frequency_plan(dial_hz=455e3, if_hz=455e3, side="below")

    @steady
    @given(
        st.sampled_from(sorted(calculators.CALCULATORS)),
        st.data(),
    )
    def test_whatever_is_sent_is_answered_or_refused_in_words(self, name: str, data: st.DataObject) -> None:
        keys = calculators.find(name).key_names
        junk = st.one_of(st.none(), st.booleans(), st.floats(), st.integers(), st.text(max_size=20), st.lists(st.floats(), max_size=20))
        inputs = data.draw(st.dictionaries(st.sampled_from(keys), junk))
        try:
            answer = calculators.answer_values(name, inputs).results
        except (CalmNeedleError, OverflowError, ZeroDivisionError) as fault:
            self.assertTrue(str(fault))
        else:
            self.assertTrue(all(math.isfinite(x) for v in answer.values() for x in (v if isinstance(v, list) else [v])))


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
