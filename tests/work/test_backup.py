"""Copies of the store: whole while it is used, verified hard, put back or not at all."""

import errno
import hashlib
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from calm_needle.errors import FileRefused, StoreUnusable
from calm_needle.store import db
from calm_needle.work import backup
from calm_needle.work.jobs import shelf
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into

PICTURE = b"\xff\xd8\xff a picture"
PICTURE_SHA = hashlib.sha256(PICTURE).hexdigest()
PICTURE_NAME = f"photographs/{PICTURE_SHA[:2]}/{PICTURE_SHA}.jpg"


KEPT_BY_A_START = {db.FILE_NAME, "in-use", "photographs"}


class Copies(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "data"
        self.folder.mkdir()
        copy_into(self.folder)
        picture = self.folder / PICTURE_NAME
        picture.parent.mkdir(parents=True)
        picture.write_bytes(PICTURE)
        self.copy = Path(folder.name) / "copy.zip"

    def jobs(self) -> int:
        conn = db.connect(self.folder / db.FILE_NAME)
        try:
            return int(conn.execute("SELECT count(*) FROM job").fetchone()[0])
        finally:
            conn.close()

    def spoilt(self, **changed: bytes | None) -> Path:
        """The copy with some of its files changed, or left out."""
        out = self.copy.with_name("spoilt.zip")
        with zipfile.ZipFile(self.copy) as before, zipfile.ZipFile(out, "w") as after:
            for info in before.infolist():
                content = changed.get(info.filename, before.read(info.filename))
                if content is not None:
                    after.writestr(info.filename, content)
            for name in changed.keys() - {i.filename for i in before.infolist()}:
                after.writestr(name, changed[name] or b"")
        return out


class MadeAndPutBack(Copies):
    def test_a_full_disk_is_not_taken_for_a_damaged_copy(self) -> None:
        backup.make(self.folder, self.copy)
        with mock.patch.object(os, "fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")):
            with self.assertRaisesRegex(StoreUnusable, "no room to look at the copy .No space"):
                backup.verify(self.copy)
            with self.assertRaisesRegex(StoreUnusable, "No space"):
                backup.restore(self.folder, self.copy)
        self.assertGreater(self.jobs(), 0)
        self.assertEqual(list(self.folder.glob("coming-back*")), [])

    def test_what_a_copy_that_died_left_behind_goes_with_the_next_one_and_what_lives_stays(self) -> None:
        dead, alive = (self.copy.with_name(f".copy.zip.{pid}.part") for pid in (77, 78))
        dead.write_bytes(b"half")
        alive.write_bytes(b"half")
        os.utime(dead, (1.0, 1.0))
        alive = alive.rename(alive.with_name(f".other.zip.{os.getpid()}.part"))
        backup.make(self.folder, self.copy)
        self.assertFalse(dead.exists())
        self.assertTrue(alive.exists())

    def test_it_is_whole_while_others_write_and_comes_back_as_it_was(self) -> None:
        workshop = Workshop(self.folder)
        written = threading.Event()
        ended = threading.Event()

        def write() -> None:
            n = 0
            while not ended.is_set():
                with workshop.store() as conn:
                    shelf.open_job(conn, {"model": "halvern-6b", "serial": f"x{n}", "complaint": "dead", "bench": "typed"})
                n += 1
                written.set()

        hand = threading.Thread(target=write)
        hand.start()
        try:
            self.assertTrue(written.wait(20))
            backup.make(self.folder, self.copy)
        finally:
            ended.set()
            hand.join(20)
            workshop.close()
        found = backup.verify(self.copy)
        self.assertGreaterEqual(found.jobs, 12)
        self.assertLessEqual(found.jobs, self.jobs())
        backup.restore(self.folder, self.copy)
        self.assertEqual(self.jobs(), found.jobs)
        (before,) = self.folder.glob("before-*")
        self.assertTrue((before / db.FILE_NAME).is_file())

    def test_into_an_empty_folder_with_its_photographs(self) -> None:
        backup.make(self.folder, self.copy)
        fresh = self.folder.parent / "fresh"
        backup.restore(fresh, self.copy)
        self.assertEqual(sorted(p.name for p in fresh.rglob("*.jpg")), [f"{PICTURE_SHA}.jpg"])
        Workshop(fresh).close()

    def test_a_running_program_keeps_its_store(self) -> None:
        backup.make(self.folder, self.copy)
        workshop = Workshop(self.folder)
        self.addCleanup(workshop.close)
        with self.assertRaises(StoreUnusable):
            backup.restore(self.folder, self.copy)

    def test_one_a_day_and_the_oldest_go(self) -> None:
        copies = self.folder / backup.FOLDER
        copies.mkdir()
        for day in range(1, 20):
            (copies / f"daily-2026-01-{day:02}.zip").write_bytes(b"x")
        (copies / "copy-mine.zip").write_bytes(b"x")
        self.assertIsNotNone(backup.daily(self.folder))
        self.assertIsNone(backup.daily(self.folder))
        names = sorted(p.name for p in copies.glob("*.zip"))
        self.assertEqual(len(names), backup.KEPT + 1)
        self.assertIn("copy-mine.zip", names)
        self.assertNotIn("daily-2026-01-01.zip", names)

    def test_the_copy_just_made_stays_though_a_clock_that_was_put_back_makes_it_the_oldest(self) -> None:
        copies = self.folder / backup.FOLDER
        copies.mkdir()
        for day in range(1, 20):
            (copies / f"daily-2099-01-{day:02}.zip").write_bytes(b"x")
        made = backup.daily(self.folder)
        assert made
        self.assertTrue(made.exists())
        self.assertEqual(len(list(copies.glob("daily-*.zip"))), backup.KEPT)

    def test_what_died_in_the_middle_is_swept_at_the_next_start(self) -> None:
        copies = self.folder / backup.FOLDER
        copies.mkdir()
        gone = subprocess.Popen([sys.executable, "-c", ""])
        gone.wait()
        left = [copies / f".copy-a.zip.{gone.pid}.{end}" for end in ("sqlite3", "part")]
        for file in left:
            file.write_bytes(b"half")
        looked = copies / f".copy-a.zip.{gone.pid}.look"
        looked.mkdir()
        (looked / "calm-needle.sqlite3").write_bytes(b"half")
        Workshop(self.folder).close()
        self.assertEqual(list(copies.iterdir()), [])

    def test_a_plan_that_was_cut_off_or_points_elsewhere_is_finished_in_its_place(self) -> None:
        jobs = self.jobs()
        for content in ("", "{}", "[]", '{"before": "../../x"}', '{"before": 5}', "\x00"):
            with self.subTest(content):
                (self.folder / backup.PLAN).write_text(content)
                Workshop(self.folder).close()
                self.assertFalse((self.folder / backup.PLAN).exists())
                self.assertEqual(self.jobs(), jobs)
                self.assertEqual({p.name for p in self.folder.iterdir()} - {"before-unnamed"}, KEPT_BY_A_START)


class Refused(Copies):
    def setUp(self) -> None:
        super().setUp()
        backup.make(self.folder, self.copy)
        self.before = (self.folder / db.FILE_NAME).read_bytes()

    def refused(self, file: Path) -> str:
        with self.assertRaises(FileRefused) as caught:
            backup.restore(self.folder, file)
        self.assertEqual((self.folder / db.FILE_NAME).read_bytes(), self.before)
        self.assertEqual([p.name for p in self.folder.glob("coming-back*")], [])
        return str(caught.exception)

    def test_cut_foreign_changed_strange_and_damaged_ones(self) -> None:
        short = self.copy.with_name("short.zip")
        short.write_bytes(self.copy.read_bytes()[:5000])
        self.assertIn("cut short", self.refused(short))
        other = self.copy.with_name("other.zip")
        with zipfile.ZipFile(other, "w") as out:
            out.writestr("readme.txt", "hello")
        self.assertIn("no copy of this program", self.refused(other))
        self.assertIn("does not have its digest", self.refused(self.spoilt(**{PICTURE_NAME: PICTURE.replace(b"a", b"b")})))
        self.assertIn("it is there and not listed", self.refused(self.spoilt(**{"../../evil": b"x"})))
        self.assertIn("it is listed and not there", self.refused(self.spoilt(**{"calm-needle.sqlite3": None})))

    def relisted(self, database: bytes, **more: object) -> Path:
        """A copy whose list fits what is in it: made by somebody who knows the format."""
        with zipfile.ZipFile(self.copy) as archive:
            listed = json.loads(archive.read("list.json"))
        listed["files"] = {"calm-needle.sqlite3": [len(database), hashlib.sha256(database).hexdigest()]}
        listed |= more
        return self.spoilt(**{"calm-needle.sqlite3": database, "list.json": json.dumps(listed).encode(), PICTURE_NAME: None})

    def test_a_list_that_fits_does_not_make_a_store_of_what_is_none(self) -> None:
        self.assertIn("cannot be used", self.refused(self.relisted(b"no database at all" * 400)))
        self.assertIn("newer program", self.refused(self.relisted(b"x", version=9)))
        named = {"../up.sqlite3": [1, "0" * 64], "calm-needle.sqlite3": [1, "0" * 64]}
        self.assertIn("nothing of that name", self.refused(self.relisted(b"x", files=named)))
        with zipfile.ZipFile(self.copy) as archive:
            whole = bytearray(archive.read("calm-needle.sqlite3"))
        whole[len(whole) // 2 : len(whole) // 2 + 9000] = b"\x55" * 9000
        self.assertIn("damaged", self.refused(self.relisted(bytes(whole))))

    def test_of_a_newer_program_or_with_rows_that_refer_to_nothing(self) -> None:
        place = self.copy.with_name("db")
        for change, words in (("PRAGMA user_version = 9999", "newer Calm Needle"), ("UPDATE run SET job_id = 777", "refers to one of job")):
            with zipfile.ZipFile(self.copy) as archive:
                place.write_bytes(archive.read("calm-needle.sqlite3"))
            conn = sqlite3.connect(place, isolation_level=None)
            conn.execute(change)
            conn.close()
            self.assertIn(words, self.refused(self.relisted(place.read_bytes())))

    def changed(self, *statements: str) -> Path:
        """The copy with its database changed by somebody who knows the format."""
        place = self.copy.with_name("db")
        with zipfile.ZipFile(self.copy) as archive:
            place.write_bytes(archive.read("calm-needle.sqlite3"))
        conn = sqlite3.connect(place, isolation_level=None)
        for statement in statements:
            conn.execute(statement)
        conn.close()
        return self.relisted(place.read_bytes())

    def test_tables_and_triggers_that_this_program_does_not_make(self) -> None:
        steals = "CREATE TRIGGER t AFTER INSERT ON job BEGIN UPDATE radio_set SET owner = 'me'; END"
        for statements, words in (
            ((steals,), "there is a trigger “t” that this program does not make"),
            (("CREATE TABLE more (a TEXT)",), "there is a table “more”"),
            (("CREATE VIEW v AS SELECT 1",), "there is a view “v”"),
            (("DROP TRIGGER retest_stays",), "its trigger retest_stays is not there"),
            (("DROP TRIGGER retest_stays", "CREATE TRIGGER retest_stays BEFORE UPDATE ON retest BEGIN SELECT 1; END"), "is otherwise than"),
            (("ALTER TABLE job ADD COLUMN more TEXT",), "its table job is otherwise than"),
            (("PRAGMA ignore_check_constraints = ON", "UPDATE phase_mark SET state = 'sold'"), "a row of phase_mark holds a value that"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.refused(self.changed(*statements)))

    def test_a_photograph_that_is_another_than_its_name_says(self) -> None:
        other = PICTURE.replace(b"a", b"b")
        with zipfile.ZipFile(self.copy) as archive:
            listed = json.loads(archive.read("list.json"))
        listed["files"][PICTURE_NAME] = [len(other), hashlib.sha256(other).hexdigest()]
        file = self.spoilt(**{"list.json": json.dumps(listed).encode(), PICTURE_NAME: other})
        self.assertIn("not the photograph that its name says", self.refused(file))

    def test_odd_sizes_and_names_that_stand_twice(self) -> None:
        for size in (-1, 1.5, True, "10", None, 10**30):
            with self.subTest(size):
                self.assertIn("no list of a copy", self.refused(self.relisted(b"x", files={"calm-needle.sqlite3": [size, "0" * 64]})))
        twice = b'{"format": "calm-needle/backup", "version": 1, "version": 1, "made_utc": "x", "files": {}}'
        self.assertIn("no list of a copy", self.refused(self.spoilt(**{"list.json": twice})))

    def test_what_would_fill_the_disk_is_not_even_begun(self) -> None:
        usage = shutil.disk_usage(self.folder)._replace(free=100_000)
        with mock.patch.object(shutil, "disk_usage", return_value=usage), self.assertRaisesRegex(StoreUnusable, "GB are free"):
            backup.verify(self.copy)
        self.assertEqual([p.name for p in self.copy.parent.iterdir() if ".look" in p.name], [])
