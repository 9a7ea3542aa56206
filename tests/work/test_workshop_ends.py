"""The end of the program: a connection that somebody is using is not closed under them, for that would end the process."""

import sqlite3
import tempfile
import threading
import unittest
from pathlib import Path

from calm_needle.errors import StoreUnusable
from calm_needle.work.jobs import shelf
from tests.support.demo import copy_into
from tests.support.hasty_clock import HastyClock
from tests.support.workshops import workshop_in

INSTRUMENTS_JOB = 2


class WhatIsInUse(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name), clock=HastyClock())
        self.addCleanup(self.workshop.close)
        with self.workshop.store() as conn:
            self.run_id = shelf.begin_run(conn, INSTRUMENTS_JOB, "intermediate frequency")
        self.desk = self.workshop.desk(self.run_id)

    def closing(self) -> threading.Thread:
        closing = threading.Thread(target=self.workshop.close)
        closing.start()
        return closing

    def test_a_run_that_a_page_has_in_hand_is_closed_when_the_page_has_done(self) -> None:
        with self.desk.book() as book:
            closing = self.closing()
            with self.desk._news:
                self.assertTrue(self.desk._news.wait_for(lambda: self.desk.closed, 20))
            self.workshop.live._stop.wait(20)
            for _ in range(200):
                self.assertEqual(book.notes(), [])
            self.assertTrue(closing.is_alive())
        closing.join(20)
        self.assertFalse(closing.is_alive())
        with self.assertRaises(sqlite3.ProgrammingError):
            self.desk._conn.execute("SELECT 1")

    def test_a_store_that_is_in_use_is_closed_when_it_comes_back(self) -> None:
        with self.workshop.store() as conn:
            self.workshop.close()
            self.assertEqual(conn.execute("SELECT 1").fetchone(), (1,))
        with self.assertRaises(sqlite3.ProgrammingError):
            conn.execute("SELECT 1")

    def test_who_comes_later_is_told(self) -> None:
        self.workshop.close()
        with self.assertRaisesRegex(StoreUnusable, "is ending"), self.workshop.store():
            pass
        with self.assertRaisesRegex(StoreUnusable, "is ending"):
            self.workshop.desk(self.run_id + 1)
