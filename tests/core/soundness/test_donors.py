import unittest

from calm_needle.core.soundness.donors import KINDS, Donor, offered
from calm_needle.core.soundness.parts_sweep import UNITS, Part

WINDING = Part("IFT2-p", "winding", "IFT2 primary", 14.0, 10.0, "IF strip", "IFT2", False)
CAPACITOR = Part("C7", "capacitor", "C7", 47e-9, 20.0, "mixer", "", True)


def donor(number: int, kind: str, name: str, value: float | None = None, *, left: int = 1, tested: str = "good", out_of: str = "") -> Donor:
    return Donor(number, kind, name, value, out_of, "drawer 1", left, tested, "", "")


def found(part: Part, *stock: Donor) -> list[int]:
    return [d.id for d in offered(part, stock, model_name="Halvern 6B")]


class WhatFits(unittest.TestCase):
    def test_what_has_a_value_goes_by_it(self) -> None:
        stock = [donor(n, "capacitor", "paper", value) for n, value in enumerate((10e-9, 50e-9, 39e-9, 0.1e-6))]
        self.assertEqual(found(CAPACITOR, *stock), [1, 2])
        self.assertEqual(found(CAPACITOR, donor(5, "resistor", "C7", 47e-9)), [])

    def test_a_coil_goes_by_its_name_or_by_the_set_it_came_out_of(self) -> None:
        by_name, by_set = (
            donor(1, "coil or transformer", "IFT2, whole can"),
            donor(2, "coil or transformer", "a can", out_of="Halvern 6B, scrapped"),
        )
        other = donor(3, "coil or transformer", "second winding", out_of="a Stannard Seven")
        self.assertEqual(found(WINDING, by_name, by_set, other), [1, 2])

    def test_the_surest_first_and_nothing_that_is_bad_or_gone(self) -> None:
        states = ("not tested", "weak", "good", "bad")
        stock = [donor(n, "coil or transformer", "IFT2", tested=t) for n, t in enumerate(states)]
        self.assertEqual(found(WINDING, *stock, donor(9, "coil or transformer", "IFT2", left=0)), [2, 1, 0])

    def test_the_table_names_kinds_that_dossiers_have(self) -> None:
        named = {kind for k in KINDS.values() for kind in k.for_kinds}
        self.assertLessEqual(named, set(UNITS))
        self.assertTrue(all(k.then for k in KINDS.values() if k.for_kinds))
