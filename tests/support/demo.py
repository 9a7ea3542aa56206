"""The demo world, loaded once for all processes of a run and copied for each test: loading takes as long as many a test."""

import os
import sqlite3
import tempfile
import unittest
from functools import cache
from pathlib import Path

from filelock import FileLock

from calm_needle.store import db
from calm_needle.work import demo_world
from calm_needle.work.workshop import Workshop
from tests.support.workshops import workshop_in

#: What the runner calls this run, the same in all its processes; without it each process loads the demo world for itself.
RUN = "PYTEST_XDIST_TESTRUNUID"


@cache
def _content() -> bytes:
    run = os.environ.get(RUN)
    if run is None:
        return _loaded()
    shared = Path(tempfile.gettempdir()) / f"calm-needle-tests-{run}.sqlite3"
    with FileLock(f"{shared}.lock"):
        if not shared.exists():
            shared.write_bytes(_loaded())
    return shared.read_bytes()


def _loaded() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / db.FILE_NAME
        conn = db.connect(file)
        demo_world.load(conn)
        conn.close()  # the last connection to go writes the log into the file
        return file.read_bytes()


def copy_into(folder: Path) -> None:
    """Put the demo world's database into an empty data folder."""
    (folder / db.FILE_NAME).write_bytes(_content())


class DemoStore(unittest.TestCase):
    """A test that works with the demo world's store, through one connection."""

    workshop: Workshop
    conn: sqlite3.Connection

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)
        held = self.workshop.store()
        self.conn = held.__enter__()
        self.addCleanup(held.__exit__, None, None, None)
