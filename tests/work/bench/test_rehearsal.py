import tempfile
import unittest
from pathlib import Path
from typing import Literal, NamedTuple

from calm_needle.core.procedure.run import rounds_of
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.truth import Truth
from calm_needle.store import db
from calm_needle.work.bench.rehearsal import rehearse
from calm_needle.work.bench.run_book import RunBook
from tests.support import halvern
from tests.support.demo import copy_into


class Outcome(NamedTuple):
    truth: Truth
    book: RunBook
    rounds: int


class FollowingTheAdviceAlone(unittest.TestCase):
    """A modelled hand that knows only the verdict brings every practice set into line, whatever it was left at."""

    def run_one(self, seed: int, misalign: Literal["none", "light", "moderate", "severe"], *, turns_known: bool = True) -> Outcome:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        conn, job_id = halvern.store_with_job(Path(folder.name), bench="instruments")
        self.addCleanup(conn.close)
        clock = halvern.clock()
        book = halvern.new_run(conn, job_id, clock, bench="instruments")
        receiver = PracticeReceiver(book.model, seed=seed, misalign=misalign)
        with book_in_one_transaction(conn):
            rehearse(book, receiver, clock, seed=seed, turns_known=turns_known)
        ring = next(g for g in book.plan.groups if g.repeat is not None)
        return Outcome(receiver.truth(), book, len(rounds_of(book.state, ring.id)))

    def check(self, outcome: Outcome, *, within_hz: float = 200.0) -> None:
        self.assertLessEqual(abs(outcome.truth.peak_hz - halvern.IF_HZ), within_hz)
        self.assertLess(outcome.truth.loss_db - outcome.truth.best_loss_db, 0.3)

    def test_misaligned_a_little_or_a_lot(self) -> None:
        for seed, misalign in ((11, "light"), (13, "severe")):
            with self.subTest(misalign):
                outcome = self.run_one(seed, misalign)  # type: ignore[arg-type]
                self.check(outcome)
                self.assertLessEqual(outcome.rounds, 4)

    def test_without_knowing_the_turns(self) -> None:
        # The needle alone tells less: within the dossier's own tolerance.
        self.check(self.run_one(14, "moderate", turns_known=False), within_hz=500.0)

    def test_found_right_it_is_left_after_one_round_and_made_no_worse(self) -> None:
        outcome = self.run_one(15, "none")
        self.check(outcome)
        self.assertEqual(outcome.rounds, 1)
        self.assertIn("found right", outcome.book.state.decisions[0]["sentence"])

    def test_the_waxed_core_is_noticed_and_named(self) -> None:
        outcome = self.run_one(16, "moderate")
        self.check(outcome)
        findings = [f.sentence for f in outcome.book.findings()]
        self.assertEqual(findings, ["Wax was cleared from the lower core of IFT1."])


def book_in_one_transaction(conn):  # type: ignore[no-untyped-def]
    """Thousands of readings: one synchronisation with the disk is enough here."""
    from calm_needle.store.db import transaction

    return transaction(conn)


class TheOtherSetsOfTheDemoWorld(unittest.TestCase):
    def run_job(self, job_id: int, faults: tuple[str, ...] = ()) -> Outcome:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        conn = db.connect(Path(folder.name) / db.FILE_NAME)
        self.addCleanup(conn.close)
        clock = halvern.clock()
        book = halvern.new_run(conn, job_id, clock, bench="instruments")
        receiver = PracticeReceiver(book.model, seed=7, misalign="moderate", faults=faults)
        with book_in_one_transaction(conn):
            rehearse(book, receiver, clock, seed=7)
        return Outcome(receiver.truth(), book, 0)

    def test_each_comes_into_line_by_the_advice_alone(self) -> None:
        for job_id in (5, 6):
            outcome = self.run_job(job_id)
            self.assertLess(abs(outcome.truth.peak_hz - outcome.book.model.if_hz), 250.0, outcome.book.model.name)
            self.assertLess(outcome.truth.loss_db - outcome.truth.best_loss_db, 0.3, outcome.book.model.name)

    def test_a_core_whose_capacitor_is_open_is_named_and_the_others_are_peaked(self) -> None:
        outcome = self.run_job(4, ("if-capacitor-open",))
        named = {f.subject for f in outcome.book.findings() if "Wax was cleared" not in f.sentence}
        self.assertEqual(named, {"IFT2 upper"}, outcome.book.findings())
