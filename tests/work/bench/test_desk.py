"""A run as pages and instruments share it: what a page shows is never left behind by what happened to the run."""

import tempfile
import unittest
from pathlib import Path

from calm_needle.core.quantities import Quantity
from calm_needle.work.bench.desk import Desk
from calm_needle.work.jobs import shelf
from tests.support.demo import copy_into
from tests.support.workshops import workshop_in

INSTRUMENTS_JOB = 2


class WhatEnterDoes(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)
        with self.workshop.store() as conn:
            run_id = shelf.begin_run(conn, INSTRUMENTS_JOB, "intermediate frequency")
        self.desk: Desk = self.workshop.desk(run_id)
        with self.desk.book() as book:
            book.set_everything()

    def read(self, volts: float) -> None:
        self.desk.take_reading(Quantity(volts, "V"), {}, self.desk.wanted(), instrument="a meter")

    def test_a_reading_that_makes_it_another_act_has_the_page_fetched_anew(self) -> None:
        self.read(0.1)
        quiet = self.desk.view()["version"]
        self.read(0.1)
        self.assertEqual(self.desk.view()["version"], quiet)
        self.read(2.0)
        self.assertEqual(self.desk.view()["main"].act, "level")
        self.assertGreater(self.desk.view()["version"], quiet)

    def test_a_level_that_has_come_right_meanwhile_is_left_alone_without_a_word(self) -> None:
        self.read(0.1)
        with self.desk.book() as book:
            before = book.state.level_v
        self.desk.move_level(self.desk.here)
        with self.desk.book() as book:
            self.assertEqual(book.state.level_v, before)

    def test_a_change_to_the_set_has_the_step_in_hand_begin_anew(self) -> None:
        self.read(0.1)
        before = self.desk.view()["version"]
        self.workshop.set_was_changed(INSTRUMENTS_JOB, "C11 was replaced")
        self.assertGreater(self.desk.view()["version"], before)
        with self.desk.book() as book:
            self.assertEqual(len(book.seen.watched), 0)
        self.read(0.2)
        with self.desk.book() as book:
            self.assertEqual(len(book.seen.watched), 1)

    def test_so_have_readings_that_were_struck_out(self) -> None:
        self.read(2.0)
        asked = self.desk.view()
        self.assertEqual(asked["main"].act, "level")
        self.desk.distrust(0, "the generator was not as set")
        now = self.desk.view()
        self.assertNotEqual(now["main"].act, "level")
        self.assertGreater(now["version"], asked["version"], "a page that shows it would offer to set a level that is right")


if __name__ == "__main__":
    unittest.main()
