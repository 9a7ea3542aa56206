import unittest

from calm_needle.core.physics.passband import Passband
from calm_needle.core.procedure.closing import off_centre
from tests.support.halvern import IF_HZ, model


class TheClosingSweep(unittest.TestCase):
    def test_a_response_in_its_place_has_nothing_wrong(self) -> None:
        for off in (-450.0, 0.0, 450.0):
            self.assertIsNone(off_centre(model(), Passband(IF_HZ + off, IF_HZ - 2700 + off, IF_HZ + 2700 + off), source_hz=IF_HZ))

    def test_one_hump_of_two_is_told_by_its_sides(self) -> None:
        found = off_centre(model(), Passband(IF_HZ + 200, IF_HZ - 1200, IF_HZ + 4200), source_hz=IF_HZ)
        assert found
        self.assertEqual(found.sentence, "The middle of the response is 1500 Hz high; 500 Hz is allowed.")
        self.assertIn("coupled too closely", found.evidence)

    def test_all_cores_to_one_side_is_told_as_that(self) -> None:
        found = off_centre(model(), Passband(IF_HZ - 900, IF_HZ - 3600, IF_HZ + 1800), source_hz=IF_HZ)
        assert found
        self.assertIn("900 Hz low", found.sentence)
        self.assertIn("go round once more", found.evidence)

    def test_an_edge_not_seen_or_another_frequency_says_nothing(self) -> None:
        self.assertIsNone(off_centre(model(), Passband(IF_HZ + 2000, None, IF_HZ + 4000), source_hz=IF_HZ))
        self.assertIsNone(off_centre(model(), Passband(1e6, 0.99e6, 1.02e6), source_hz=1e6))
