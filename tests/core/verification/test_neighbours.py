import unittest

from calm_needle.core.verification.neighbours import Needs, stands_out_db


class Neighbours(unittest.TestCase):
    def test_what_the_service_data_expects_of_each_band_is_taken_off(self) -> None:
        short = Needs(150e-6, 100e-6)
        self.assertIsNone(stands_out_db(short, [Needs(12e-6, 10e-6), Needs(14e-6, 12e-6)]), "its service data ask for more of it")
        found = stands_out_db(Needs(900e-6, 100e-6), [Needs(12e-6, 10e-6), Needs(14e-6, 12e-6)])
        assert found is not None
        self.assertAlmostEqual(found, 17.6, delta=0.3)

    def test_inside_its_service_data_a_band_has_no_fault_of_its_own(self) -> None:
        self.assertIsNone(stands_out_db(Needs(90e-6, 100e-6), [Needs(1e-6, 10e-6), Needs(2e-6, 12e-6)]))

    def test_bands_of_which_one_has_service_data_and_the_others_have_none_are_not_compared(self) -> None:
        self.assertIsNone(stands_out_db(Needs(1e-3, 100e-6), [Needs(1e-6, None)]))
        self.assertIsNotNone(stands_out_db(Needs(1e-3, None), [Needs(1e-6, None), Needs(1e-3, 1e-4)]))
