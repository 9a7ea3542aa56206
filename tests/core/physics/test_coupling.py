import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.coupling import crest_of_one, is_double_humped, pair_transfer
from tests.support.properties import steady

kappas = st.floats(0.2, 0.95)


def level(f_hz: float, *, f1_hz: float = 468e3, f2_hz: float = 468e3, q1: float = 80.0, q2: float = 80.0, kappa: float) -> float:
    return abs(pair_transfer(f_hz=f_hz, f1_hz=f1_hz, q1=q1, f2_hz=f2_hz, q2=q2, kappa=kappa))


class CoupledPair(unittest.TestCase):
    def test_critical_coupling_in_tune_passes_all_of_it(self) -> None:
        self.assertAlmostEqual(level(468e3, kappa=1.0), 1.0)

    def test_the_bandwidth_at_critical_coupling_is_root_two_times_that_of_one_circuit(self) -> None:
        f = 468e3 + 468e3 / 80.0 * math.sqrt(2.0) / 2.0
        self.assertAlmostEqual(20 * math.log10(level(f, kappa=1.0)), -3.01, delta=0.05)

    @steady
    @given(kappas, st.floats(460e3, 476e3), st.floats(460e3, 476e3), st.floats(40, 120), st.floats(40, 120))
    def test_the_two_windings_may_change_places(self, kappa: float, f1: float, f2: float, q1: float, q2: float) -> None:
        one = level(468e3, f1_hz=f1, f2_hz=f2, q1=q1, q2=q2, kappa=kappa)
        self.assertAlmostEqual(one, level(468e3, f1_hz=f2, f2_hz=f1, q1=q2, q2=q1, kappa=kappa), delta=1e-12)

    @steady
    @given(kappas, st.floats(-3, 3))
    def test_one_core_peaks_where_the_formula_says(self, kappa: float, a_partner: float) -> None:
        def gain(a: float) -> float:
            return abs(2 * kappa / ((1 + 1j * a) * (1 + 1j * a_partner) + kappa**2))

        crest = crest_of_one(a_partner=a_partner, kappa=kappa)
        self.assertGreaterEqual(gain(crest), max(gain(crest - 0.01), gain(crest + 0.01)))

    @steady
    @given(kappas, st.floats(-3, 3))
    def test_below_critical_coupling_rounds_come_to_rest_in_tune(self, kappa: float, start: float) -> None:
        a = start
        for _ in range(400):
            a = crest_of_one(a_partner=a, kappa=kappa)
        self.assertLess(abs(a), 1e-3)

    def test_two_humps_begin_at_critical_coupling_for_equal_q(self) -> None:
        self.assertFalse(is_double_humped(q1=80, q2=80, kappa=0.999))
        self.assertTrue(is_double_humped(q1=80, q2=80, kappa=1.001))
        self.assertFalse(is_double_humped(q1=100, q2=50, kappa=1.1))
