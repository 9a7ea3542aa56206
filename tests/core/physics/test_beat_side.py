import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.beat_side import beat_against
from calm_needle.errors import NoAnswer, OutOfRange
from tests.support.properties import steady


class WhichSide(unittest.TestCase):
    @steady
    @given(st.floats(50e3, 30e6), st.floats(-3000.0, 3000.0), st.floats(0.0, 1.0))
    def test_raised_by_less_than_the_pitch_the_side_is_right_or_not_told(self, known_hz: float, off_hz: float, share: float) -> None:
        raised_hz = share * abs(off_hz)
        try:
            found = beat_against(known_hz=known_hz, pitch_hz=abs(off_hz), raised_pitch_hz=abs(off_hz + raised_hz))
        except NoAnswer:
            return
        self.assertAlmostEqual(found.own_hz, known_hz + off_hz, places=6)
        self.assertEqual(found.side, "above" if off_hz > 0 else "below")

    def test_a_little_is_enough_and_too_little_is_said(self) -> None:
        found = beat_against(known_hz=909e3, pitch_hz=212.6, raised_pitch_hz=198.1, known_within_hz=10.0)
        self.assertAlmostEqual(found.own_hz, 909e3 - 212.6)
        self.assertAlmostEqual(found.apart_ppm, -233.9, delta=0.1)
        self.assertAlmostEqual(found.uncertainty_hz, 10.0, delta=0.01)
        with self.assertRaisesRegex(NoAnswer, "tells no side"):
            beat_against(known_hz=909e3, pitch_hz=212.6, raised_pitch_hz=212.7)
        with self.assertRaisesRegex(NoAnswer, "gone through zero"):
            beat_against(known_hz=909e3, pitch_hz=12.0, raised_pitch_hz=88.0)

    def test_what_is_no_beat_is_refused(self) -> None:
        for known_hz, pitch_hz in ((0.0, 5.0), (909e3, -1.0), (100.0, 200.0)):
            with self.assertRaises(OutOfRange):
                beat_against(known_hz=known_hz, pitch_hz=pitch_hz, raised_pitch_hz=50.0)
