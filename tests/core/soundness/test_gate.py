import unittest

from calm_needle.core.soundness.complaints import Complaint, Retest, check_retest, unsettled
from calm_needle.core.soundness.gate import alignment_gate, closing_gate
from calm_needle.errors import FieldsRefused

AT = "2026-11-24T10:00:00.000Z"


def complaint(*outcomes: str) -> Complaint:
    return Complaint(1, "weak on long wave", "", AT, tuple(Retest(o, "", AT, after_repair=2, cover="on") for o in outcomes))


class Complaints(unittest.TestCase):
    def test_the_last_retest_counts(self) -> None:
        self.assertFalse(complaint().settled)
        self.assertTrue(complaint("gone").settled)
        self.assertFalse(complaint("gone", "still there").settled)
        self.assertTrue(complaint("still there", "a characteristic").settled)
        self.assertEqual(len(unsettled([complaint(), complaint("gone"), complaint("still there")])), 2)

    def test_a_characteristic_is_believed_with_its_figure_only(self) -> None:
        with self.assertRaises(FieldsRefused):
            check_retest(outcome="a characteristic", words="it is always like that", cover="on")
        self.assertEqual(check_retest(outcome="a characteristic", words="8 µV for 10 dB, as its class", cover="on"), "a characteristic")
        self.assertEqual(check_retest(outcome="gone", words="", cover="on"), "gone")
        with self.assertRaises(FieldsRefused):
            check_retest(outcome="better", words="", cover="on")


class Gates(unittest.TestCase):
    def test_a_set_is_aligned_when_it_started_safely_and_is_sound(self) -> None:
        self.assertTrue(alignment_gate(done={"intake", "safe start", "health"}, waived=None).open)
        for done in (set(), {"safe start"}, {"health"}):
            self.assertFalse(alignment_gate(done=done, waived=None).open)
        self.assertEqual(len(alignment_gate(done={"intake"}, waived=None).missing), 2)

    def test_a_waiver_covers_what_it_was_given_for_and_nothing_that_was_opened_again_since(self) -> None:
        covered = alignment_gate(done={"safe start"}, waived="only the IF is in doubt", covers=("health",))
        self.assertTrue(covered.open)
        beyond = alignment_gate(done=set(), waived="only the IF is in doubt", covers=("health",))
        self.assertFalse(beyond.open)
        self.assertIn("safe start first", beyond.sentence)
        self.assertIn("only the IF is in doubt", beyond.sentence)

    def test_a_waiver_opens_it_and_goes_on_saying_what_was_missing(self) -> None:
        gate = alignment_gate(done={"safe start"}, waived="only the IF is in doubt")
        self.assertTrue(gate.open)
        self.assertIn("health is not done: only the IF is in doubt", gate.sentence)
        self.assertEqual(len(gate.missing), 1)

    def test_a_job_closes_when_every_complaint_was_tested_again(self) -> None:
        self.assertTrue(closing_gate(complaints=[complaint("gone")]).open)
        gate = closing_gate(complaints=[complaint("gone"), complaint()])
        self.assertFalse(gate.open)
        self.assertEqual(gate.missing, ("“weak on long wave” is not yet retested",))

    def test_a_retest_before_the_last_change_no_longer_counts_and_open_ends_keep_it_open(self) -> None:
        done = complaint("gone")
        self.assertIn("was tested before R11 was changed", closing_gate(complaints=[done], last_change=("R11", 3)).missing[0])
        self.assertTrue(closing_gate(complaints=[done], last_change=("R11", 2)).open)
        self.assertFalse(closing_gate(complaints=[done], open_ends=("“dial glass” is still off the set",)).open)
