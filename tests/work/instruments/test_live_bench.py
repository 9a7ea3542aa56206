"""The thread that works the instruments: what goes wrong is said, and it goes on; no page waits for it."""

import contextlib
import logging
import sqlite3
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any

from calm_needle.clock import Worker
from calm_needle.core.dossier.model import Watched
from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.judge import Swing
from calm_needle.core.quantities import Quantity
from calm_needle.errors import InstrumentSilent, StoreUnusable
from calm_needle.files.dossiers import load_dossier
from calm_needle.store import db
from calm_needle.work.instruments.equipment import Equipment, Read
from calm_needle.work.instruments.live_bench import GIVEN_UP_S, LiveBench, Wanted, _Sweep
from tests.support import every_kind
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


class Generator:
    """A generator as a sweep uses it: it notes where it was stepped to, and fails once at the points that it is told."""

    name = "signal generator"

    def __init__(self, *fails_at: int) -> None:
        self.stepped: list[float] = []
        self._fails_at = set(fails_at)

    def set_frequency(self, hz: float) -> None:
        self.stepped.append(hz)
        if len(self.stepped) in self._fails_at:
            raise InstrumentSilent(self.name, "FREQ")


class ABench(Equipment):
    """A generator and a meter, without links; it stands as set."""

    def __init__(self, generator: Generator) -> None:
        super().__init__()
        self.its_generator = generator

    generator = property(lambda self: self.its_generator)  # type: ignore[assignment]

    def meter(self, watched: Watched | None) -> None:  # type: ignore[override]
        """Whatever it is, it need not be kept in step."""

    def as_set(self, wanted: object) -> bool:
        return True

    def apply(self, wanted: object) -> None: ...

    def rest(self, seconds: float, *, until: object = None) -> None: ...

    def read(self, watched: Watched | None) -> Read:
        return Read(Quantity(1e-3, "V"), "millivoltmeter", 0.0)


class ASweep(unittest.TestCase):
    STEP = next(
        s for g in read_model(load_dossier(every_kind.content(), name="every-kind.json")).groups for s in g.steps if s.kind == "swing"
    )

    def swept(self, generator: Generator, *, rounds: int, then: Swing | None = None) -> tuple[LiveBench, Client]:
        """A sweep of five points, the bench gone round so often; `then`: another, asked for while its last point is read."""
        bench = LiveBench(ABench(generator))
        client = Client(lambda: Wanted(self.STEP, (), None, "step", 1))
        self.addCleanup(bench.close)
        bench._client, bench._is_set = client, True
        bench._sweep = _Sweep(self.STEP.id, 600e3, Swing(600e3, 40e3, 5), 0.0 + bench._clock.monotonic())
        asked = list(filter(None, [then]))

        def take(*args: Any, **more: Any) -> None:
            Client.take_reading(client, *args, **more)
            if len(client.taken) == 5 and asked:
                bench._sweep = _Sweep(self.STEP.id, 600e3, asked.pop(), bench._clock.monotonic())

        client.take_reading = take  # type: ignore[method-assign]
        for _ in range(rounds):
            with contextlib.suppress(InstrumentSilent):
                bench._once()
        return bench, client

    def test_one_that_an_instrument_breaks_off_begins_again_and_is_not_forgotten(self) -> None:
        bench, _ = self.swept(Generator(3), rounds=1)
        self.assertIsNotNone(bench.sweep_done, "it goes on by itself")
        bench, _ = self.swept(generator := Generator(3), rounds=2)
        self.assertIsNone(bench.sweep_done)
        self.assertEqual(generator.stepped[3:], [580e3, 590e3, 600e3, 610e3, 620e3, 600e3])

    def test_one_that_comes_no_further_ends(self) -> None:
        bench, _ = self.swept(Generator(*range(1, 9)), rounds=8)
        self.assertIsNotNone(bench.sweep_done)
        assert bench._sweep is not None
        bench._sweep.came_at_s -= GIVEN_UP_S + 1.0
        bench._once()
        self.assertIsNone(bench.sweep_done)

    def test_one_asked_for_at_the_end_of_another_is_done_too(self) -> None:
        bench, _ = self.swept(generator := Generator(), rounds=2, then=Swing(700e3, 20e3, 3))
        self.assertIsNone(bench.sweep_done)
        self.assertEqual([f for f in generator.stepped if f > 650e3], [690e3, 700e3, 710e3])

    def test_one_of_a_step_that_was_left_ends(self) -> None:
        bench, client = self.swept(Generator(2), rounds=1)
        client._wanted = lambda: Wanted(None, (), None, "decision", None)
        bench._once()
        self.assertIsNone(bench.sweep_done)


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
