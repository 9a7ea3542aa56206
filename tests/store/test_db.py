import sqlite3
import tempfile
import unittest
from pathlib import Path

from calm_needle.core.quantities import Quantity
from calm_needle.errors import StoreUnusable
from calm_needle.store import db, runs, shelf
from tests.support import halvern


class StoreTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.conn, self.job_id = halvern.store_with_job(self.folder)
        self.addCleanup(self.conn.close)


class Remembering(StoreTest):
    """What was worked out is worked out again when anybody has written, and within a transaction always."""

    def test_it_is_as_new_as_the_database(self) -> None:
        worked: list[int] = []

        @db.remembered
        def count(conn: sqlite3.Connection) -> int:
            worked.append(1)
            return int(conn.execute("SELECT count(*) FROM setting").fetchone()[0])

        def put(conn: sqlite3.Connection, name: str) -> None:
            conn.execute("INSERT INTO setting (key, value) VALUES (:key, 'x')", {"key": name})

        before = count(self.conn)
        self.assertEqual((count(self.conn), len(worked)), (before, 1))
        put(self.conn, "one")
        self.assertEqual(count(self.conn), before + 1)
        other = db.connect(self.folder / db.FILE_NAME)
        self.addCleanup(other.close)
        put(other, "two")
        self.assertEqual(count(self.conn), before + 2)
        with self.assertRaises(KeyError), db.transaction(self.conn):
            put(self.conn, "three")
            self.assertEqual(count(self.conn), before + 3)
            raise KeyError
        self.assertEqual(count(self.conn), before + 2)


class AppendOnly(StoreTest):
    def setUp(self) -> None:
        super().setUp()
        book = halvern.new_run(self.conn, self.job_id, halvern.clock())
        book.set_everything()
        book.add_reading(Quantity(0.4, "V"), kind="typed", instrument="read by eye")
        book.strike(book.seen.kept[0].id, "hand on the wire")

    def test_what_was_read_or_done_can_neither_be_changed_nor_deleted(self) -> None:
        for table, column in (("reading", "value"), ("act", "kind"), ("strike", "reason"), ("set_up", "detail"), ("dossier", "content")):
            for statement in (f"UPDATE {table} SET {column} = {column}", f"DELETE FROM {table}"):
                with self.subTest(statement), self.assertRaises(sqlite3.DatabaseError) as caught:
                    self.conn.execute(statement)
                self.assertRegex(str(caught.exception), "append-only|never changed")

    def test_a_reading_is_struck_out_once_and_its_value_stays(self) -> None:
        (reading,) = runs.readings_of_visit(self.conn, 2)
        self.assertEqual((reading.value, reading.struck), (0.4, "hand on the wire"))
        with self.assertRaises(sqlite3.IntegrityError):
            runs.strike(self.conn, reading_id=reading.id, reason="again", at_utc="2026-11-24T10:00:00.000Z")

    def test_physics_forbids_a_frequency_of_nothing(self) -> None:
        with self.assertRaises(sqlite3.IntegrityError):
            runs.add_reading(
                self.conn, run_id=1, visit_id=2, set_up_id=1, kind="typed", value=1.0, unit="V", generator_hz=0.0, generator_v=1.0,
                turns=None, at_stop=False, instrument="eye", at_utc="2026-11-24T10:00:00.000Z",
            )  # fmt: skip


class Connecting(StoreTest):
    def test_what_commit_returned_for_is_synchronised_and_checked(self) -> None:
        for pragma, value in (("journal_mode", "wal"), ("synchronous", 2), ("foreign_keys", 1)):
            self.assertEqual(self.conn.execute(f"PRAGMA {pragma}").fetchone()[0], value)

    def test_every_table_is_strict(self) -> None:
        loose = self.conn.execute("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND strict = 0").fetchall()
        self.assertEqual([name for (name,) in loose if not name.startswith("sqlite_")], [])

    def test_opening_it_again_migrates_nothing(self) -> None:
        version = self.conn.execute("PRAGMA user_version").fetchone()[0]
        other = db.connect(self.folder / db.FILE_NAME)
        self.addCleanup(other.close)
        self.assertEqual(other.execute("PRAGMA user_version").fetchone()[0], version)
        self.assertEqual(version, db.migrations()[-1][0])
        self.assertEqual(len(shelf.newest_jobs(other, limit=5)), 1)

    def test_a_newer_folder_is_left_alone(self) -> None:
        self.conn.execute("PRAGMA user_version = 9999")
        with self.assertRaises(StoreUnusable) as caught:
            db.connect(self.folder / db.FILE_NAME)
        self.assertIn("Use the newer program", str(caught.exception))

    def test_a_file_that_is_no_database_is_left_alone(self) -> None:
        file = self.folder / "other"
        file.write_bytes(b"not a database" * 100)
        with self.assertRaises(StoreUnusable):
            db.connect(file)
        self.assertTrue(file.read_bytes().startswith(b"not a database"))

    def test_several_things_are_written_or_none(self) -> None:
        with self.assertRaises(ZeroDivisionError), db.transaction(self.conn):
            shelf.mark_phase(self.conn, job_id=self.job_id, phase="health", state="done", remark="", at_utc="x")
            with db.transaction(self.conn):
                _ = 1 / 0
        self.assertEqual(shelf.phase_marks(self.conn, self.job_id), {})

    def test_what_was_worked_out_is_kept_while_its_state_is_the_same_whatever_else_is_written(self) -> None:
        worked = []

        def work(state: int) -> int:
            worked.append(state)
            return 10 * state

        def ask(key: str, state: int) -> int:
            return db.kept(self.conn, key, state, lambda: work(state))

        self.assertEqual([ask("a", 1), ask("a", 1)], [10, 10])
        shelf.mark_phase(self.conn, job_id=self.job_id, phase="health", state="done", remark="", at_utc="x")
        self.assertEqual((ask("a", 1), worked), (10, [1]))
        self.assertEqual((ask("a", 2), ask("a", 1), worked), (20, 10, [1, 2, 1]))
        with db.transaction(self.conn):
            self.assertEqual((ask("a", 1), worked[-2:]), (10, [1, 1]))
        for i in range(db.KEPT):
            ask(f"other {i}", 1)
        ask("a", 1)
        self.assertEqual(worked[-1:] + [len(worked)], [1, 5 + db.KEPT])
