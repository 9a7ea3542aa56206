"""The thread that works the instruments: what goes wrong is said, and it goes on; no page waits for it."""

import logging
import sqlite3
import tempfile
import threading
import unittest
from pathlib import Path

from calm_needle.clock import Worker
from calm_needle.core.dossier.model import Watched
from calm_needle.errors import StoreUnusable
from calm_needle.store import db
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.live_bench import LiveBench, Wanted
from tests.support.bench_client import Client
from tests.support.client import TYPED_JOB, PageTest


class TheReadingThreadOutlivesEverything(unittest.TestCase):
    def bench(self) -> LiveBench:
        bench = LiveBench(Equipment())
        self.addCleanup(bench.close)
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        return bench

    def test_whatever_goes_wrong_is_said_and_it_goes_on(self) -> None:
        troubles: list[Exception] = [sqlite3.OperationalError("database is locked"), RuntimeError("of ours"), KeyError("x")]
        said: list[str | None] = []
        bench = self.bench()

        def wanted() -> Wanted:
            if troubles:
                raise troubles.pop(0)
            return Wanted(None, (), None, "complete", None)

        client = Client(wanted)
        client.publish = lambda **_: said.append(bench.trouble)  # type: ignore[method-assign]
        bench.attach(client)
        for _ in range(200):
            if said and said[-1] is None:
                break
            threading.Event().wait(0.1)
        self.assertIn("They go on by themselves", said[0] or "")
        self.assertIsNone(said[-1], "and it is taken back once it is over")

    def test_one_that_ended_is_started_again_when_its_page_is_looked_at(self) -> None:
        bench = self.bench()
        client = Client(lambda: Wanted(None, (), None, "complete", None))
        dead = threading.Thread(target=lambda: None)
        dead.start()
        dead.join()
        bench._thread = dead
        bench.attach(client)
        assert bench._thread is not None
        self.assertTrue(bench._thread.is_alive())

    def test_a_lock_of_the_database_is_told_in_words(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / db.FILE_NAME
            conn, other = db.connect(path), db.connect(path)
            conn.execute("PRAGMA busy_timeout = 0")
            other.execute("BEGIN EXCLUSIVE")
            with self.assertRaises(StoreUnusable) as caught, db.told_in_words():
                conn.execute("INSERT INTO setting (key, value) VALUES ('a', 'b')")
            self.assertIn("Another program holds the database", str(caught.exception))
            other.execute("ROLLBACK")
            conn.close()
            other.close()


class NoPageWaitsForAnInstrument(PageTest):
    def test_while_an_instrument_is_being_asked_every_page_answers(self) -> None:
        run_id, clock = self.begin_typed_run(), self.workshop.clock
        worker = self.asked_for(1000.0)
        began_s = clock.monotonic()
        for path in ("/", f"/bench/{run_id}", f"/jobs/{TYPED_JOB}", "/instruments", "/runs/1/record"):
            self.assertEqual(self.get(path).status_code, 200, path)
        self.assertLess(clock.monotonic() - began_s, 10.0, "no page took longer than its own time")
        self.assertTrue(worker.is_alive(), "the instrument is still being asked")

    def test_nor_does_attaching_a_run(self) -> None:
        self.asked_for(1000.0)
        began_s = self.workshop.clock.monotonic()
        self.workshop.live.attach(Client(lambda: Wanted(None, (), None, "complete", None)))
        self.assertEqual(self.workshop.clock.monotonic(), began_s)

    def asked_for(self, seconds: float) -> Worker:
        """Somebody who has an instrument to himself for so long."""
        clock, asking = self.workshop.clock, self.workshop.clock.event()

        def ask() -> None:
            with self.workshop.equipment.lock:
                asking.set()
                clock.wait(seconds)

        worker = clock.start(ask, name="somebody who asks")
        asking.wait()
        return worker


class WhatIsWatched(unittest.TestCase):
    def test_nothing_here_reads_what_no_instrument_here_can(self) -> None:
        self.assertIsNone(Equipment().read(Watched("frequency", "Hz", "anywhere")))


if __name__ == "__main__":
    unittest.main()
