"""Killed at many places in the middle of an import, a certificate, a restore, a backup: the store is whole; all is done or nothing."""

import multiprocessing
import shutil
import signal
import sqlite3
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import FileRefused
from calm_needle.store import db
from calm_needle.work import backup
from calm_needle.work.jobs import job_files, shelf
from calm_needle.work.verification import measuring
from calm_needle.work.workshop import Workshop
from tests.support import die_at
from tests.support.demo import copy_into
from tests.support.die_at import TYPED_JOB

PLACES = 4
PROCESSES = multiprocessing.get_context("forkserver")  # what a deed needs is imported once, and no thread is in the way
PROCESSES.set_forkserver_preload(["tests.support.die_at"])
LAST_CALLS = (400, 40, 4)  # near the end, where the files take their places


class KilledInADeed(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.place = Path(folder.name)
        self.before = self.place / "before"
        self.before.mkdir()
        copy_into(self.before)

    def act(self, at: int, deed: str, file: Path) -> tuple[int, Path]:
        """Do it on a copy of the folder, and die at a call; what it printed, or 0 where it died; and the folder."""
        folder = self.place / "now"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(self.before, folder)
        counted = PROCESSES.SimpleQueue()
        done = PROCESSES.Process(target=die_at.main, args=(at, deed, folder, file, counted))
        done.start()
        done.join()
        self.assertEqual(done.exitcode, -signal.SIGKILL if at else 0)
        return 0 if at else counted.get(), folder

    def rows(self, folder: Path) -> dict[str, int]:
        """How many rows each table has after the next start of the program, the store being sound."""
        Workshop(folder).close()
        with closing(sqlite3.connect(folder / db.FILE_NAME)) as conn:
            self.assertEqual(conn.execute("PRAGMA integrity_check").fetchall(), [("ok",)])
            self.assertEqual(conn.execute("PRAGMA foreign_key_check").fetchall(), [])
            tables = [str(r[0]) for r in conn.execute("SELECT name FROM sqlite_schema WHERE type = 'table'")]
            return {t: int(conn.execute(f"SELECT count(*) FROM [{t}]").fetchone()[0]) for t in tables if not t.startswith("sqlite_")}

    def kill_all_along(self, deed: str, file: Path) -> None:
        """All or nothing, wherever it dies: the rows are those of before, or those of a deed that was let live."""
        total, folder = self.act(0, deed, file)
        after, before = self.rows(folder), self.rows(self.before)
        self.assertNotEqual(after, before)
        for at in (*(1 + total * k // PLACES for k in range(PLACES)), *(total - n for n in LAST_CALLS)):
            with self.subTest(at=at, of=total):
                printed, folder = self.act(at, deed, file)
                self.assertEqual(printed, 0)
                self.assertIn(self.rows(folder), (before, after))
                self.assertEqual(list(folder.glob("coming-back*")), [])

    def test_import(self) -> None:
        file = self.place / "job.json"
        with closing(db.connect(self.before / db.FILE_NAME)) as conn:
            file.write_bytes(job_files.write(conn, self.before / "photographs", 1))
        self.kill_all_along("import", file)

    def test_certificate(self) -> None:
        form = {"band": "MW", "level_v": "9u", "definition": DEFINITIONS["s-plus-n"].words, "coupling": "dummy aerial", "cover": "on"}
        with closing(db.connect(self.before / db.FILE_NAME)) as conn:
            measuring.write_down(conn, TYPED_JOB, "sensitivity", form)
        self.kill_all_along("certificate", self.place / "unused")

    def test_restore(self) -> None:
        copy = backup.make(self.before, self.place / "copy.zip")
        with closing(db.connect(self.before / db.FILE_NAME)) as conn:
            shelf.open_job(conn, {"model": "halvern-6b", "serial": "x1", "complaint": "dead", "bench": "typed"})
        self.kill_all_along("restore", copy)

    def test_backup(self) -> None:
        copy = self.place / "copy.zip"
        total, _ = self.act(0, "backup", copy)
        whole = backup.verify(copy)
        for at in (*(1 + total * k // PLACES for k in range(PLACES)), *(total - n for n in LAST_CALLS)):
            with self.subTest(at=at, of=total):
                copy.unlink(missing_ok=True)
                _, folder = self.act(at, "backup", copy)
                self.assertEqual(self.rows(folder), self.rows(self.before))
                try:
                    found = backup.verify(copy) if copy.exists() else None
                except FileRefused as fault:
                    self.fail(f"half a copy lies there: {fault}")
                self.assertIn(found and found[1:], (None, whole[1:]))


if __name__ == "__main__":
    unittest.main()
