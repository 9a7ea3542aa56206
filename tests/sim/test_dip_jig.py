import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics import coils, dip_scan
from calm_needle.sim.receiver.adjuster import Core
from calm_needle.sim.receiver.dip_jig import JIG_OHM, direct_volts
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.transformer import Winding
from tests.support import dossiers
from tests.support.properties import steady

LEVEL_V = 0.1


def winding(*, f_hz: float = 468e3, q: float = 80.0, c_f: float = 120e-12) -> Winding:
    l_h = 1.0 / ((2.0 * math.pi * f_hz) ** 2 * c_f)
    return Winding("a", c_f, q, Core(0.88 * l_h, 1.12 * l_h, 12.0, 6.0))


def scan(coil: Winding, centre_hz: float, *, clamped_f: float = 0.0, broken: bool = False) -> coils.Dip:
    def read(frequencies: list[float]) -> list[float]:
        return [direct_volts(coil, f_hz=f, level_v=LEVEL_V, clamped_f=clamped_f, broken=broken) for f in frequencies]

    first = dip_scan.first_look(centre_hz)
    closer = dip_scan.closer_look(min(first, key=lambda f: read([f])[0]), seen=first)
    return coils.dip(f_hz=first + closer, v=read(first + closer))


class ThroughAWinding(unittest.TestCase):
    @steady
    @given(st.floats(100e3, 600e3), st.floats(50, 150), st.floats(0.9, 1.1))
    def test_the_dip_lies_where_the_winding_resonates_and_shows_its_q(self, f_hz: float, q: float, off: float) -> None:
        coil = winding(f_hz=f_hz, q=q)
        found = scan(coil, f_hz * off)
        self.assertTrue(found.seen)
        self.assertAlmostEqual(found.f0_hz / coil.frequency_hz(), 1.0, delta=0.1 / q)
        self.assertAlmostEqual(found.q / q, 1.0, delta=0.15)

    def test_the_bottom_is_the_losses_against_the_resistor(self) -> None:
        coil = winding(q=80.0)
        losses = 80.0 * 2.0 * math.pi * coil.frequency_hz() * coil.inductance_h()
        bottom = direct_volts(coil, f_hz=coil.frequency_hz(), level_v=LEVEL_V) / (LEVEL_V * math.sqrt(2.0))
        self.assertAlmostEqual(bottom * (JIG_OHM + losses) / JIG_OHM, 1.0, delta=0.01)

    def test_four_times_the_capacitance_halves_the_frequency(self) -> None:
        coil = winding()
        self.assertAlmostEqual(scan(coil, 234e3, clamped_f=3.0 * coil.c_f).f0_hz / coil.frequency_hz(), 0.5, delta=0.001)

    def test_a_broken_winding_has_none_and_neither_has_one_whose_capacitor_is_open(self) -> None:
        self.assertFalse(scan(winding(), 468e3, broken=True).seen)
        dead = PracticeReceiver(dossiers.model("halvern-6b"), seed=4, faults=("if-capacitor-open",))
        lone, whole = dead.tuned("IFT2-p"), dead.tuned("IFT1-p")
        assert lone is not None and whole is not None
        self.assertEqual(scan(lone, 468e3).verdict, coils.NO_DIP)
        self.assertEqual(scan(whole, 468e3).verdict, coils.GOOD_DIP)
        self.assertEqual(scan(lone, 468e3, clamped_f=110e-12).verdict, coils.GOOD_DIP)

    def test_one_beyond_the_scan_is_not_taken_for_one_in_it(self) -> None:
        self.assertEqual(scan(winding(f_hz=330e3), 468e3).verdict, coils.DIP_AT_END)


class Looking(unittest.TestCase):
    def test_the_closer_look_reads_nothing_twice_and_lies_about_the_lowest(self) -> None:
        first = dip_scan.first_look(468e3)
        lowest = first[33]
        closer = dip_scan.closer_look(lowest, seen=first)
        self.assertFalse(set(closer) & set(first))
        self.assertTrue(all(abs(f / lowest - 1.0) < 0.025 for f in closer))
        self.assertGreater(len(closer), 15)
