"""A trial is made in a copy: nobody waits for it and nothing of it stays; whoever does wait is told for whom."""

import tempfile
import threading
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest.mock import patch

from calm_needle.errors import StoreUnusable
from calm_needle.store import db, runs, shelf, trial
from calm_needle.store.db import transaction
from calm_needle.work import demo_world
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.jobs import sheet
from tests.support.demo import DemoStore


class Trial(DemoStore):
    def test_nothing_of_it_stays_and_the_store_can_be_written_meanwhile(self) -> None:
        for most in (trial.MOST_IN_MEMORY, 0):  # in memory, and on the disk
            with self.subTest(most), patch.object(trial, "MOST_IN_MEMORY", most), trial.trial(self.conn) as copy:
                jobs = len(shelf.newest_jobs(copy, limit=100))
                with transaction(copy):
                    copy.execute("UPDATE job SET complaint = 'tried'")
                    with self.workshop.store() as other, transaction(other):
                        other.execute("UPDATE job SET complaint = 'meanwhile' WHERE id = 1")
                self.assertEqual(len(shelf.newest_jobs(self.conn, limit=100)), jobs)
                self.assertEqual({j.complaint for j in shelf.newest_jobs(copy, limit=100)}, {"tried"})
        self.assertNotIn("tried", {j.complaint for j in shelf.newest_jobs(self.conn, limit=100)})

    def test_a_sheet_is_shown_while_somebody_else_writes(self) -> None:
        held = sheet.bring(self.workshop.folder, b"Job;Part;Measured\n3;R1;47k\n", name="a.csv")
        with self.workshop.store() as writer, transaction(writer):
            writer.execute("UPDATE job SET complaint = complaint")
            plan = sheet.plan(self.conn, self.workshop.folder, {"held": held, "name": "a", "kind": "parts"})
            self.assertEqual(len(plan.rows), 1)
            refused = sheet.bring(self.workshop.folder, b"Job;Part;Measured\n99;R1;47k\n", name="a.csv")
            with self.assertRaisesRegex(Exception, "There is no job 99"):  # refused without waiting for the writer
                sheet.take_in(self.conn, self.workshop.folder, {"held": refused, "name": "a", "kind": "parts"})

    def test_who_has_to_wait_is_told_for_what(self) -> None:
        writing, done = threading.Event(), threading.Event()

        def write() -> None:
            self.workshop.called("another page (store, take in sheet)")
            with self.workshop.store() as conn, transaction(conn):
                writing.set()
                done.wait(30)

        thread = threading.Thread(target=write)
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(done.set)
        self.assertTrue(writing.wait(30))
        self.conn.execute("PRAGMA busy_timeout = 1")
        with self.assertRaises(StoreUnusable) as caught, db.told_in_words(), transaction(self.conn):
            pass
        self.assertIn("is being written to by another page (store, take in sheet)", str(caught.exception))
        done.set()
        thread.join()
        self.assertEqual(db.being_written(), "")

    def test_the_older_job_of_the_demo_is_rehearsed_where_nobody_waits(self) -> None:
        with tempfile.TemporaryDirectory() as folder, closing(db.connect(Path(folder) / "a.sqlite3")) as conn:
            demo_world.put_on_shelf(conn)
            rehearse = demo_world.rehearse

            def and_meanwhile(*args: Any, **kwargs: Any) -> Any:
                with closing(db.connect(Path(folder) / "a.sqlite3")) as other, transaction(other):
                    other.execute("UPDATE job SET complaint = 'meanwhile' WHERE id = 2")
                return rehearse(*args, **kwargs)

            with patch.object(demo_world, "rehearse", and_meanwhile):
                demo_world.rehearse_older_job(conn)
            (run,) = runs.runs_of_job(conn, 1)
            self.assertEqual(shelf.phase_marks(conn, 1)["intermediate frequency"].state, "done")
            self.assertEqual(RunBook(conn, run.id).state.stage, "finished")
            self.assertEqual(RunBook(conn, run.id).set_aside, ())
