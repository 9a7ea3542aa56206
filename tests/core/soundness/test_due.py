import unittest

from calm_needle.core.soundness.due import ASK_AFTER_DAYS, LOOK_AFTER_MIN, another_day, ask_after, in_order, rest_of_can, warm_look
from calm_needle.core.soundness.parts_sweep import Measured, Part, once_only
from calm_needle.core.soundness.repairs import Repair, left_in_cans
from calm_needle.core.soundness.safe_start import MAINS, Logged, minutes_at_full, stand


class Looks(unittest.TestCase):
    def test_a_new_resistor_is_looked_at_once_it_has_been_on_long_enough(self) -> None:
        for on_min, state in ((0.0, "later"), (LOOK_AFTER_MIN - 0.1, "later"), (LOOK_AFTER_MIN, "due")):
            self.assertEqual(warm_look("R11", on_min=on_min).state, state)

    def test_one_pass_of_a_weak_kind_is_not_repeated_on_the_same_day(self) -> None:
        self.assertEqual([another_day("P1", days=d).state for d in (0, 1)], ["later", "due"])

    def test_days_are_counted(self) -> None:
        self.assertEqual(ask_after("a can", days=ASK_AFTER_DAYS - 1)[1:3], ("later", "tomorrow"))
        self.assertEqual(ask_after("a can", days=ASK_AFTER_DAYS).state, "due")
        self.assertEqual(rest_of_can("C14", left=["C14b"], days=0).when, "in 365 days")

    def test_what_is_due_stands_first(self) -> None:
        later, due = warm_look("R1", on_min=0.0), warm_look("R2", on_min=20.0)
        self.assertEqual(in_order([later, due]), [due, later])


class WhereTheyComeFrom(unittest.TestCase):
    def test_a_weak_kind_that_passed_once_and_no_other(self) -> None:
        weak = Part("P1", "control", "volume", 500e3, 20.0, "front", "", True)
        good, bad = Measured(510e3, False, False), Measured(900e3, False, False)
        for seen, wanted in (((), False), ((good,), True), ((good, good), False), ((good, bad), False), ((bad, good), True)):
            self.assertEqual(once_only(weak, seen), wanted, seen)
        self.assertFalse(once_only(weak._replace(weak=False), [good]))

    def test_a_can_half_replaced_and_none_that_is_whole(self) -> None:
        made = [Repair(1, "C14a", "replaced", 16e-6, "", "2026-11-25T10:00:00Z", None)]
        self.assertEqual(left_in_cans(made, cans={"C14": ["C14a", "C14b"]}), [("C14", ["C14b"], "2026-11-25T10:00:00Z")])
        self.assertEqual(left_in_cans(made, cans={"C14": ["C14a"], "C20": ["C20a", "C20b"]}), [])

    def test_minutes_count_at_full_power_only_and_end_with_it(self) -> None:
        def rail(t_s: float) -> Logged:
            return Logged(0, "rail", t_s, {"point": "rail", "v": 240.0})

        log = [Logged(1, "rung", 0.0, {"rung": 0}), rail(10.0), rail(900.0)]
        self.assertEqual(minutes_at_full(stand(log, rungs=MAINS), rungs=MAINS), 0.0)
        log += [Logged(2, "rung", 1000.0, {"rung": 2}), rail(1060.0), rail(1660.0)]
        self.assertEqual(minutes_at_full(stand(log, rungs=MAINS), rungs=MAINS), 10.0)
        log.append(Logged(3, "off", 1700.0, {}))
        self.assertEqual(minutes_at_full(stand(log, rungs=MAINS), rungs=MAINS), 0.0)
