import tempfile
import unittest
from pathlib import Path

from calm_needle.core.quantities import Quantity
from calm_needle.errors import FieldsRefused, NotFound, RunMovedOn
from calm_needle.work.bench.run_book import NotSureEnough, RunBook
from tests.support import halvern

OVER_THE_CREST = (88, 91, 97, 108, 121, 136, 146, 151, 148, 139, 128, 117)
BACK_ON_IT = (130, 140, 148, 151)


class OneRun(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.conn, self.job_id = halvern.store_with_job(Path(folder.name))
        self.addCleanup(self.conn.close)
        self.clock = halvern.clock()
        self.book = halvern.new_run(self.conn, self.job_id, self.clock)

    def read(self, *millivolts: float, unit: str = "V") -> None:
        for value in millivolts:
            self.clock.go(2.0)
            self.book.add_reading(Quantity(value / 1e3 if unit == "V" else value, unit), kind="typed", instrument="read by eye")

    def onto_the_crest(self) -> None:
        """Over the crest, and back onto it with the key."""
        self.read(*OVER_THE_CREST)
        self.book.turn_back()
        self.read(*BACK_ON_IT)

    def to_first_core(self) -> None:
        self.book.set_everything()
        self.read(200)
        self.book.take()

    def test_nothing_is_read_before_all_is_set(self) -> None:
        with self.assertRaises(RunMovedOn):
            self.read(200)

    def test_a_crest_that_was_not_seen_is_taken_only_if_insisted_on(self) -> None:
        self.to_first_core()
        self.read(88, 91, 97)
        with self.assertRaises(NotSureEnough):
            self.book.take()
        self.book.take(sure=True)
        self.assertEqual(self.book.state.visits[1].detail["evidence"], "none")

    def test_the_gain_of_a_core_is_from_where_it_began(self) -> None:
        self.to_first_core()
        self.onto_the_crest()
        self.assertEqual(self.book.standing().verdict, "crest")
        self.book.take()
        self.assertAlmostEqual(self.book.state.visits[1].detail["gain_db"], 4.69, places=2)

    def test_gains_stay_comparable_when_the_generator_is_turned_down(self) -> None:
        self.to_first_core()
        self.read(300, 600, 900)
        move = self.book.level_move()
        assert move is not None
        before = self.book.seen.series.now()
        self.book.move_level()
        self.read(900 * 10 ** (move.change_db / 20))
        now = self.book.seen.series.now()
        assert before and now
        self.assertAlmostEqual(now.measure, before.measure, places=6)

    def test_volts_and_decibels_are_not_mixed_in_one_step(self) -> None:
        self.to_first_core()
        self.read(88)
        with self.assertRaises(FieldsRefused):
            self.read(-12, unit="dB")
        with self.assertRaises(FieldsRefused):
            self.read(-88)

    def test_a_reading_struck_out_no_longer_counts_and_is_still_there(self) -> None:
        self.to_first_core()
        self.read(88, 91, 97, 999)
        wrong = self.book.seen.kept[-1].id
        with self.assertRaises(FieldsRefused):
            self.book.strike(wrong, " ")
        self.book.strike(wrong, "hand on the wire")
        self.assertEqual(self.book.seen.watched[-1].value, 0.097)
        self.assertEqual(self.book.seen.kept[-1].struck, "hand on the wire")
        with self.assertRaises(NotFound):
            self.book.strike(wrong, "again")

    def test_no_peak_becomes_a_finding_with_its_evidence(self) -> None:
        self.to_first_core()
        self.read(*([88.0] * 14))
        with self.assertRaisesRegex(NotSureEnough, "in the right core\\? IFT2 lower is turned from below, IFT2 upper from above"):
            self.book.no_peak()
        self.book.no_peak(sure=True)
        (finding,) = self.book.findings()
        self.assertEqual(finding.sentence, "The lower core of IFT2 hardly answers.")
        self.assertRegex(finding.evidence, r"^\d+ seconds of turning for 0\.0 dB")

    def test_a_core_noted_as_waxed_is_not_called_dead_unless_its_wax_was_cleared_or_somebody_insists(self) -> None:
        for clears in (True, False):
            with self.subTest(clears=clears):
                self.book = halvern.new_run(self.conn, self.job_id, self.clock)
                self.to_first_core()
                while self.book.step and self.book.step.adjusters != ("IFT1-lower",):
                    self.book.skip("not this one")
                    if self.book.state.stage == "set_up":
                        self.book.set_everything()
                self.read(*([88.0] * 14))
                with self.assertRaisesRegex(NotSureEnough, "“often waxed”, and wax keeps a tool out"):
                    self.book.no_peak()
                if clears:
                    self.book.clear_wax()
                    self.read(*([88.0] * 14))
                    with self.assertRaises(NotSureEnough) as asked:
                        self.book.no_peak()
                    self.assertNotIn("wax", str(asked.exception))
                self.book.no_peak(sure=True)
                self.assertEqual(sum(v.outcome == "no_peak" for v in self.book.state.visits), 1)

    def test_left_out_wants_a_reason(self) -> None:
        self.to_first_core()
        with self.assertRaises(FieldsRefused):
            self.book.skip("  ")
        self.book.skip("core is cracked")
        self.assertEqual(self.book.state.visits[1].outcome, "skip")

    def test_going_back_keeps_the_readings(self) -> None:
        self.to_first_core()
        self.onto_the_crest()
        self.book.take()
        taken = self.book.state.visits[1]
        self.book.back()
        self.assertEqual(self.book.step.id, "if-as-found" if taken.step_id == "if-as-found" else taken.step_id)
        self.assertEqual(len(self.book.readings_of(taken)), len(OVER_THE_CREST + BACK_ON_IT) + 1)

    def test_opened_again_it_is_where_it_was_with_the_same_verdict(self) -> None:
        self.to_first_core()
        self.read(*OVER_THE_CREST)
        again = RunBook(self.conn, self.book.run.id, clock=self.clock)
        self.assertEqual(again.state, self.book.state)
        self.assertEqual(again.standing(), self.book.standing())
        self.assertEqual(again.standing().verdict, "past")

    def test_the_wax_is_cleared_and_the_watch_begins_anew(self) -> None:
        self.to_first_core()
        self.read(*([88.0] * 14))
        self.assertEqual(self.book.standing().verdict, "slips")
        self.book.clear_wax()
        self.assertEqual(self.book.standing().verdict, "waiting")
        self.assertIn("Wax was cleared from the lower core of IFT2.", [f.sentence for f in self.book.findings()])

    def test_what_a_repair_did_is_not_credited_to_the_core_in_hand(self) -> None:
        self.to_first_core()
        self.read(*([0.02] * 6))
        self.book.set_was_changed("C11 was replaced")
        self.assertEqual(self.book.standing().verdict, "waiting")
        self.read(*([2.0] * 6))  # forty decibels, by the iron
        self.book.take(sure=True)
        detail = next(v.detail for v in reversed(self.book.state.visits) if v.outcome == "take")
        self.assertAlmostEqual(detail["level_db"] - detail["start_db"], 0.0, places=3)
        self.assertEqual(detail["since_change"], "C11 was replaced")

    def test_a_run_that_is_not_there_is_not_found(self) -> None:
        with self.assertRaises(NotFound):
            RunBook(self.conn, 999)
