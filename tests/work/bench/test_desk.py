"""A run as pages and instruments share it: what a page shows is never left behind by what happened to the run."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from calm_needle.core.procedure.level_keeper import LevelMove
from calm_needle.core.quantities import Quantity
from calm_needle.errors import StoreUnusable
from calm_needle.store import db
from calm_needle.work.bench.desk import UNWATCHED_S, Desk
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.jobs import shelf
from tests.support.client import PageTest
from tests.support.demo import copy_into
from tests.support.inside_bench import InsideBench
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
        self.workshop.live.attach(self.desk)
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


class WhileTheBenchReads(PageTest):
    """The thread at the instruments, and what a person does meanwhile."""

    def setUp(self) -> None:
        super().setUp()
        where = self.post(f"/jobs/{INSTRUMENTS_JOB}/runs", phase="intermediate frequency").headers["Location"]
        self.bench = InsideBench(self, int(where.rsplit("/", 1)[1]))
        self.bench.press("Enter")
        self.bench.wait_for_reading_after(0)
        self.desk = self.bench.desk

    def readings(self) -> int:
        with self.desk.book() as book:
            return len(book.seen.kept)

    def test_nothing_is_read_of_a_new_level_as_if_it_were_the_old(self) -> None:
        """It was: for half a second what was read at the new level was kept as read at the old one, decibels too high or too low."""
        with self.desk.book() as book:
            before_v, seen = book.state.level_v, len(book.seen.kept)
        assert before_v
        down = LevelMove(before_v / 4.0, -12.0, "", "")
        with mock.patch.object(RunBook, "level_move", return_value=down):
            self.desk.move_level(self.desk.here)
        self.workshop.clock.wait(2.0)
        with self.desk.book() as book:
            after = book.seen.kept[seen:]
        self.assertEqual({r.generator_v for r in after}, {before_v / 4.0})
        self.assertGreater(len(after), 10)

    def test_while_the_disk_takes_its_time_nobody_waits_and_nothing_is_shown(self) -> None:
        clock = self.workshop.clock
        shown = self.bench.reading_id
        settled = [0]

        def slow(_: int) -> None:
            clock.wait(5.0)
            settled[0] += 1

        with mock.patch.object(db, "sync", slow):
            kept = self.readings()
            clock.wait(0.5)
            self.assertGreater(self.readings(), kept, "kept, and not yet on the disk")
            began_s = clock.monotonic()
            with self.desk.book():
                self.assertEqual(clock.monotonic(), began_s, "the run's lock is free")
            snapshot = self.desk.snapshot()
            self.assertGreaterEqual(settled[0], 1, "what is shown waited for the disk")
            self.assertGreater(snapshot["reading"]["id"], shown)

    def test_a_disk_that_fails_is_said_and_nothing_of_it_is_shown(self) -> None:
        with mock.patch.object(db, "sync", side_effect=OSError(28, "No space left on device")):
            self.workshop.clock.wait(0.5)
            with self.assertRaisesRegex(StoreUnusable, "The disk does not take what was read"):
                self.desk.snapshot()
        self.workshop.clock.wait(1.0)
        self.assertEqual(self.desk.snapshot()["advice"]["tone"] == "danger", False)

    def test_a_bench_at_which_nobody_looks_stops_reading_and_says_so_on_return(self) -> None:
        clock = self.workshop.clock
        clock.wait(UNWATCHED_S + 5.0)
        kept = self.readings()
        clock.wait(3600.0)
        self.assertEqual(self.readings(), kept)
        page = self.get(f"/bench/{self.bench.run_id}").get_data(as_text=True)
        self.assertRegex(page, r"No page showed this run from \d\d:\d\d to \d\d:\d\d UTC: readings stopped")
        clock.wait(2.0)
        self.assertGreater(self.readings(), kept + 10, "it reads again at once")
        self.bench.press("t")
        self.assertNotIn("No page showed this run", self.get(f"/bench/{self.bench.run_id}").get_data(as_text=True))

    def test_a_stream_that_is_open_is_somebody_who_looks(self) -> None:
        clock, number = self.workshop.clock, 0
        until_s = clock.monotonic() + 3.0 * UNWATCHED_S
        while clock.monotonic() < until_s:
            number, _ = self.desk.wait_for_news(number)
        kept = self.readings()
        clock.wait(1.0)
        self.assertGreater(self.readings(), kept)


if __name__ == "__main__":
    unittest.main()
