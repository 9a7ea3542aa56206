import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.model import RoundRule
from calm_needle.core.physics.coupling import crest_of_one, pair_transfer
from calm_needle.core.procedure.forecast import Pair, centre_u95, forecast, left_after, loss_db
from calm_needle.core.procedure.rounds import Gain, judge_rounds
from tests.support.properties import steady

RULE = RoundRule("dB", 0.1, 5)


class WhatIsLeft(unittest.TestCase):
    @steady
    @given(st.floats(-6.0, 6.0), st.floats(-6.0, 6.0), st.floats(0.3, 1.0))
    def test_it_is_what_a_pair_peaked_in_turn_has_left(self, a1: float, a2: float, kappa: float) -> None:
        first = crest_of_one(a_partner=a2, kappa=kappa)
        second = crest_of_one(a_partner=first, kappa=kappa)
        gained = loss_db(a1=first, a2=a2, kappa=kappa) - loss_db(a1=first, a2=second, kappa=kappa)
        left = left_after(gain_db=gained, kappa=kappa)
        self.assertAlmostEqual(left.gain_db, loss_db(a1=first, a2=second, kappa=kappa), delta=0.02)
        self.assertAlmostEqual(left.off, abs(first), delta=0.02)

    @steady
    @given(st.floats(-3.0, 3.0), st.floats(-3.0, 3.0), st.floats(0.3, 1.0))
    def test_the_loss_is_that_of_the_pair_itself(self, a1: float, a2: float, kappa: float) -> None:
        f, q = 468e3, 80.0
        f1, f2 = (f * (math.sqrt(1.0 + (a / (2.0 * q)) ** 2) - a / (2.0 * q)) for a in (a1, a2))
        best = abs(pair_transfer(f_hz=f, f1_hz=f, q1=q, f2_hz=f, q2=q, kappa=kappa))
        there = abs(pair_transfer(f_hz=f, f1_hz=f1, q1=q, f2_hz=f2, q2=q, kappa=kappa))
        self.assertAlmostEqual(loss_db(a1=a1, a2=a2, kappa=kappa), 20.0 * math.log10(best / there), delta=1e-6)

    def test_two_turns_off_is_a_few_hundredths_of_a_decibel(self) -> None:
        self.assertLess(left_after(gain_db=15.0, kappa=0.62).gain_db, 0.1)

    def test_what_is_no_pair_has_no_forecast(self) -> None:
        self.assertIsNone(forecast({"padder": 3.0}, [Pair("a", "b", 0.7, "IFT1")]))


class FlatTops(unittest.TestCase):
    """Two cores of a pair that stand to one side together, in numpy: how far, for no more than the needle's wander."""

    def test_the_centre_is_as_unsure_as_the_top_is_flat(self) -> None:
        for kappa in (0.62, 0.8, 0.9, 1.0):
            off = centre_u95(gain_db=0.0, wander_db=0.02, kappa=kappa)
            a = np.linspace(-2.0, 2.0, 4001)

            def level(a1, a2, k=kappa):  # type: ignore[no-untyped-def]
                return 20.0 * np.log10(2.0 * k / np.abs((1.0 + 1j * a1) * (1.0 + 1j * a2) + k * k))

            # The second core stands off by a2; the first is peaked, then the second gains no more than twice the wander.
            gains, firsts = [], []
            for a2 in np.linspace(0.0, 1.5, 301):
                first = a[int(np.argmax(level(a, a2)))]
                gains.append(float(np.max(level(first, a)) - level(first, a2)))
                firsts.append(abs(first))
            furthest = max(f for f, g in zip(firsts, gains, strict=True) if g <= 0.04)
            self.assertAlmostEqual(off, furthest, delta=0.03, msg=str(kappa))

    def test_a_strip_found_right_is_only_left_where_that_tells_its_centre(self) -> None:
        for kappa, flat in ((0.62, False), (1.0, True), (1.1, True)):
            cores = [Gain("a", 0.0, 0.02), Gain("b", 0.01, 0.02)]
            verdict = judge_rounds([cores], rule=RoundRule("dB", 0.1, 5), pairs=[Pair("a", "b", kappa, "IFT1")])
            self.assertEqual(verdict.flat is not None, flat, kappa)
            self.assertEqual("leave it" in verdict.sentence, not flat)
            self.assertEqual("± 0." in verdict.evidence, flat)


class AnotherRoundOfPairs(unittest.TestCase):
    PAIRS = (Pair("one", "two", 0.6, "IFT1"),)

    def test_a_large_gain_alone_asks_for_no_other_round(self) -> None:
        verdict = judge_rounds([[Gain("one", 12.0), Gain("two", 0.3)]], rule=RULE, pairs=self.PAIRS)
        self.assertLess(verdict.expected, 0.1)

    def test_a_core_left_to_one_side_asks_for_one_for_the_centre(self) -> None:
        verdict = judge_rounds([[Gain("one", 2.0), Gain("two", 3.0)]], rule=RULE, pairs=self.PAIRS)
        self.assertTrue(verdict.go_on)
        self.assertIn("for the centre: IFT1", verdict.sentence)
        again = judge_rounds([[Gain("one", 2.0), Gain("two", 3.0)], [Gain("one", 0.02), Gain("two", 0.0)]], rule=RULE, pairs=self.PAIRS)
        self.assertFalse(again.go_on)
        self.assertIn("Left, by how far off each core was", again.evidence)
