import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.peak_place import loss_curves, loss_db, peak_place
from calm_needle.errors import OutOfRange
from tests.support.properties import steady

MW = {"f1_hz": 600e3, "f2_hz": 950e3, "f3_hz": 1400e3, "if_hz": 468e3, "l_rf_h": 174.5e-6, "f_low_hz": 525e3, "f_high_hz": 1605e3}


class PeakedElsewhere(unittest.TestCase):
    def test_at_the_book_s_own_point_nothing_changes(self) -> None:
        found, curves = peak_place(**MW, q=70.0, own_hz=1400e3), loss_curves(**MW, q=70.0, own_hz=1400e3)
        self.assertAlmostEqual(found.gained_db, 0.0, places=6)
        self.assertAlmostEqual(found.worst_db, found.book_there_db, places=6)
        self.assertEqual([round(x, 6) for x in curves.book_db], [round(x, 6) for x in curves.own_db])

    @steady
    @given(st.floats(530e3, 1600e3), st.floats(20.0, 120.0))
    def test_where_it_is_peaked_nothing_is_lost_and_more_q_never_loses_less(self, own_hz: float, q: float) -> None:
        curves = loss_curves(**MW, q=q, own_hz=own_hz)
        nearest = min(range(len(curves.own_db)), key=lambda i: abs(curves.frequencies_hz[i] - own_hz))
        self.assertLess(curves.own_db[nearest], 0.05)
        found, sharper = peak_place(**MW, q=q, own_hz=own_hz), peak_place(**MW, q=1.2 * q, own_hz=own_hz)
        self.assertGreaterEqual(sharper.worst_db, found.worst_db)
        self.assertGreaterEqual(sharper.gained_db, found.gained_db)
        self.assertAlmostEqual(found.worst_db, max(curves.own_db))

    def test_half_a_bandwidth_off_is_three_decibels(self) -> None:
        self.assertAlmostEqual(loss_db(f0_hz=1.005e6, f_hz=1e6, q=100.0), 3.0103, delta=0.02)

    def test_a_place_off_the_band_is_refused(self) -> None:
        with self.assertRaises(OutOfRange) as caught:
            peak_place(**MW, q=70.0, own_hz=2e6)
        self.assertIn("own_hz", str(caught.exception))
