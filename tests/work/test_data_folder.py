"""A data folder with half-written files, or held by another program."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from calm_needle.errors import RunMovedOn, StoreUnusable
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.whole_file import read_object, write_whole
from calm_needle.work.workshop import Workshop
from tests.support import halvern


class HalfWrittenFiles(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_key_cut_short_is_made_anew(self) -> None:
        for cut in ("", "abc", "\x00" * 64, "Z" * 64):
            (self.folder / "secret").write_text(cut)
            workshop = Workshop(self.folder)
            key = workshop.secret_key()
            self.assertRegex(key, r"^[0-9a-f]{64}$")
            self.assertEqual(workshop.secret_key(), key)
            workshop.close()

    def test_ports_that_cannot_be_read_are_as_if_there_were_none(self) -> None:
        workshop = Workshop(self.folder)
        self.addCleanup(workshop.close)
        (self.folder / "stand-ins").mkdir()
        for odd in ("", "{", "[1]", '{"generator": "x"}', '{"generator": 99999}', '{"generator": true}', '{"generator": -1}'):
            (self.folder / "stand-ins" / "ports.json").write_text(odd)
            self.assertEqual(workshop.stand_ins.resources(), {}, odd)

    def test_a_set_whose_file_was_cut_short_stands_as_it_came(self) -> None:
        dossier, state = self.folder / "d.json", self.folder / "set-1.json"
        dossier.write_bytes(halvern.content())
        for cut in ("", '{"cores": {"IFT1-up', '{"cores": 3}'):
            state.write_text(cut)
            command = [sys.executable, "-m", "calm_needle.sim.rig", str(dossier), "--state", str(state)]
            said = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=True, timeout=60)
            self.assertIn("generator", json.loads(said.stdout)["ports"], cut)
            self.assertTrue(read_object(state))

    def test_killed_in_the_middle_the_old_one_is_still_there(self) -> None:
        file = self.folder / "kept.json"
        write_whole(file, '{"a": 1}')
        with mock.patch("os.fsync", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            write_whole(file, '{"a": 2}')
        self.assertEqual(read_object(file), {"a": 1})
        self.assertEqual([p.name for p in self.folder.iterdir()], ["kept.json"])


class TwoOnOneFolder(unittest.TestCase):
    def test_the_second_is_told_who_holds_it(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            first = Workshop(Path(name))
            first.lock.say("the one at http://127.0.0.1:8123/ (process 7)")
            with self.assertRaises(StoreUnusable) as caught:
                Workshop(Path(name))
            self.assertIn("is in use by the one at http://127.0.0.1:8123/ (process 7)", str(caught.exception))
            first.close()
            Workshop(Path(name)).close()

    def test_an_act_on_a_run_that_has_gone_on_elsewhere_is_refused_and_the_run_is_read_anew(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            conn, job_id = halvern.store_with_job(Path(name))
            one = halvern.new_run(conn, job_id, halvern.clock())
            other = RunBook(conn, one.run.id, clock=halvern.clock())
            one.set_everything()
            one.skip("measured elsewhere")
            with self.assertRaises(RunMovedOn):
                other.skip("the same step, as this one thought")
            self.assertEqual(other.state, one.state)
            self.assertEqual([v.outcome for v in other.state.visits if v.outcome], ["skip"])
            conn.close()


if __name__ == "__main__":
    unittest.main()
