"""The simulated instruments, in their own process: one that dies is started again by itself, one that is unplugged stays off."""

import json
import tempfile
import unittest
from importlib import resources
from pathlib import Path

from calm_needle.clock import SYSTEM
from calm_needle.work.instruments import stand_ins
from calm_needle.work.instruments.stand_ins import StandIns

LONGEST_S = 60.0


class ItsProcess(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.rig = StandIns(Path(folder.name))
        self.addCleanup(self.rig.unplug)
        dossier = resources.files("calm_needle.demo").joinpath("dossiers/pellow-scout.json").read_text(encoding="utf-8")
        self.rig.put_on_bench(set_id=1, dossier=json.dumps(json.loads(dossier)))

    def process(self) -> int:
        """The number of a process that lives, waited for."""
        until_s = SYSTEM.monotonic() + LONGEST_S
        while SYSTEM.monotonic() < until_s:
            with self.rig._lock:  # held while one starts
                if self.rig.plugged_in and (process := self.rig._process) is not None:
                    return process.pid
            SYSTEM.wait(0.02)
        self.fail("it was not started again")

    def die(self) -> None:
        process = self.rig._process
        assert process
        process.kill()
        process.wait()

    def test_it_is_started_again_at_the_same_ports_and_not_for_ever(self) -> None:
        ports = self.rig.ports
        seen = {self.process()}
        for _ in range(stand_ins.MOST_RESTARTS):
            self.die()
            seen.add(self.process())
            self.assertEqual(self.rig.ports, ports)
        self.assertEqual(len(seen), 1 + stand_ins.MOST_RESTARTS)
        self.die()
        until_s = SYSTEM.monotonic() + LONGEST_S
        while self.rig._process is not None and SYSTEM.monotonic() < until_s:
            SYSTEM.wait(0.02)
        self.assertIsNone(self.rig._process)  # left alone

    def test_unplugged_it_stays_off(self) -> None:
        process = self.rig._process
        self.rig.unplug()
        assert process
        self.assertIsNotNone(process.wait(LONGEST_S))
        self.assertFalse(self.rig.plugged_in)
