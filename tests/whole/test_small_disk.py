"""A disk with a quota: pages and pictures until it is full, a clear page, nothing corrupt, and the work goes on once there is room."""

import io
import os
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from PIL import Image

from calm_needle.store import db
from tests.support.demo import copy_into
from tests.whole.test_sudden_death import Hand, Server

QUOTA_BYTES = 1_300_000  # no file may grow beyond it: the database's log gets there first
JOB = 5


class SmallDisk(unittest.TestCase):
    def test_a_clear_page_and_nothing_lost(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name)
        copy_into(path)
        server = Server(path, quota_bytes=QUOTA_BYTES)
        hand = Hand(server.port)
        kept = 0
        said = ""
        try:
            hand.send(f"/jobs/{JOB}/start/power", to="off", back="/")
            for kept in range(6000):
                status, said = hand.send(f"/jobs/{JOB}/notes", kind="cleaned", item=f"switch {kept}", done="x" * 350, effect="none")
                if status != 303:
                    break
            self.assertEqual(status, 503, said[:200])
            self.assertRegex(said, "(The disk is full|The data folder cannot be written to).*was not kept")
            self.assertIn("<h1", said)
            self.assertTrue("Kept beside" in hand.get(f"/jobs/{JOB}"), "pages are still shown")
        finally:
            hand.close()
            server.kill()
        self.whole(path, kept)
        server = Server(path)
        hand = Hand(server.port)
        try:
            self.assertEqual(hand.send(f"/jobs/{JOB}/notes", kind="cleaned", item="once more", done="again", effect="none")[0], 303)
        finally:
            hand.close()
            server.kill()
        self.whole(path, kept + 1)

    def test_a_photograph_that_finds_no_room_is_refused_whole(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name)
        copy_into(path)
        (path / "photographs").mkdir()
        script = (
            "import pathlib, resource, sys; from calm_needle.work.jobs import photographs; from calm_needle.store import db\n"
            "path = pathlib.Path(sys.argv[1]); conn = db.connect(path / db.FILE_NAME); content = sys.stdin.buffer.read()\n"
            "resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, resource.RLIM_INFINITY))\n"
            "try: photographs.attach(conn, path / 'photographs', 5, content=content, name='noise.jpg', caption='')\n"
            "except Exception as fault: print(type(fault).__name__, fault)\n"
        )
        noise = io.BytesIO()
        Image.frombytes("RGB", (300, 300), os.urandom(270_000)).save(noise, "JPEG", quality=95)
        said = subprocess.run(
            [sys.executable, "-c", script, str(path)], input=noise.getvalue(), capture_output=True, check=True
        ).stdout.decode()
        self.assertIn("StoreUnusable The photograph could not be written", said)
        self.assertEqual([p for p in (path / "photographs").rglob("*") if p.is_file()], [])

    def whole(self, path: Path, kept: int) -> None:
        conn = sqlite3.connect(path / db.FILE_NAME)
        try:
            self.assertEqual(conn.execute("PRAGMA integrity_check").fetchall(), [("ok",)])
            self.assertEqual(conn.execute("SELECT count(*) FROM intake_entry WHERE kind = 'cleaned'").fetchone()[0], kept)
        finally:
            conn.close()
