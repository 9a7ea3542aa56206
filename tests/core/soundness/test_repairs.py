import unittest

from calm_needle.core.soundness.repairs import QuickTest, Repair, overruled, shared_credit, untested


def made(*tested: bool) -> list[Repair]:
    return [
        Repair(i, f"R{i}", "replaced", None, "", f"2026-11-25T10:0{i}", QuickTest("better", "hum gone", "") if test else None)
        for i, test in enumerate(tested)
    ]


class Credit(unittest.TestCase):
    def test_one_change_one_test_shares_nothing(self) -> None:
        self.assertEqual(shared_credit(made(True, True)), [])
        self.assertEqual(untested(made(True, True)), [])

    def test_two_changes_before_a_test_share_it(self) -> None:
        self.assertIn("R1 and R2 share the credit of “better”", shared_credit(made(True, False, True))[0])
        self.assertEqual([r.part for r in untested(made(True, False, False))], ["R1", "R2"])

    def test_the_sections_of_a_can_are_one_change(self) -> None:
        self.assertEqual(shared_credit([r._replace(at_utc="2026-11-25T10:00") for r in made(False, True)]), [])

    def test_a_section_left_in_its_can_is_to_be_looked_at_again(self) -> None:
        cans = {"C14": ["C14a", "C14b"]}
        one = made(True)[0]._replace(part="C14b", at_utc="2026-11-25T10:00")
        self.assertIn("C14a was left", overruled([one], cans=cans)[0])
        self.assertIn("within a year of 2026-11-25", overruled([one], cans=cans)[0])
        self.assertEqual(overruled([one, one._replace(part="C14a")], cans=cans), [])
        self.assertEqual(overruled([], cans=cans), [])
