"""Anybody's client can talk to a stand-in: every header of every one of them, over its socket."""

import re
import shutil
import socket
import subprocess
import unittest
from collections.abc import Iterator

from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.rig import Rig
from tests.support import halvern

COMMON_QUESTIONS = (
    "*IDN?",
    "*ESR?",
    "*ESE?",
    "*SRE?",
    "*STB?",
    "*OPC?",
    "*TST?",
    "SYST:VERS?",
    "SYST:ERR?",
    "STAT:OPER?",
    "STAT:QUES:ENAB?",
)
LXI = shutil.which("lxi")


class Client:
    """A raw socket and lines, as any terminal program has them."""

    def __init__(self, port: int) -> None:
        self._socket = socket.create_connection(("127.0.0.1", port), timeout=5.0)
        self._lines = self._socket.makefile("r", encoding="ascii", newline="\n")

    def send(self, line: str) -> None:
        self._socket.sendall(line.encode("ascii") + b"\n")

    def ask(self, line: str) -> str:
        self.send(line)
        return self._lines.readline().rstrip("\n")

    def errors(self) -> list[str]:
        out = []
        while not (error := self.ask("SYST:ERR?")).startswith("0,"):
            out.append(error)
        return out

    def close(self) -> None:
        self._lines.close()
        self._socket.close()


def long_and_short(pattern: str) -> Iterator[str]:
    """The shortest header that a pattern allows, and the longest."""
    bare = re.sub(r"\[[^\]]*\]", "", pattern).lstrip(":")
    yield "".join(c for c in bare if not c.islower())
    yield pattern.replace("[", "").replace("]", "")


class OverTheSocket(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.rig = Rig(PracticeReceiver(halvern.model(), seed=3), state_file=None, ports={})
        cls.rig.start()
        cls.addClassCleanup(cls.rig.close)

    def client(self, name: str) -> Client:
        client = Client(self.rig.ports[name])
        self.addCleanup(client.close)
        client.send("*CLS")
        return client

    def test_each_answers_what_the_standards_ask_of_all(self) -> None:
        for name in self.rig.instruments:
            client = self.client(name)
            for question in COMMON_QUESTIONS:
                self.assertTrue(client.ask(question), (name, question))
            self.assertEqual(client.errors(), [], name)

    def test_every_header_is_known_in_its_long_form_and_in_its_short(self) -> None:
        for name, instrument in self.rig.instruments.items():
            client = self.client(name)
            for pattern in instrument.commands:
                for header in long_and_short(pattern):
                    client.send(f"{header}?")
                    client.send("*OPC?")
                    while client._lines.readline().rstrip("\n") != "1":
                        pass
                    undefined = [e for e in client.errors() if e.startswith("-113")]
                    self.assertEqual(undefined, [], (name, header))

    def test_suffixes_and_compound_lines_are_understood(self) -> None:
        client = self.client("generator")
        client.send("FREQ 455 kHz")
        self.assertEqual(float(client.ask("FREQ?")), 455e3)
        client.send(":SOURce:FREQuency:CW 1.4MHZ;:OUTPut:STATe ON")
        self.assertEqual([float(v) for v in client.ask("FREQ?;:OUTP?").split(";")], [1.4e6, 1.0])
        client.send("AM:DEPT 30 PCT;STAT ON;INT:FREQ 1 KHZ")  # each belongs to the path of the one before
        self.assertEqual(client.ask(":AM:STAT?;:AM:INT:FREQ?"), "1;1000.0")
        client.send("VOLT 3 mV;:OUTP OFF")
        self.assertEqual(float(client.ask("VOLT?")), 3e-3)
        self.assertEqual(client.errors(), [])

    def test_the_ends_of_a_range_have_names(self) -> None:
        client = self.client("generator")
        client.send("FREQ MAX")
        self.assertEqual(float(client.ask("FREQ?")), float(client.ask("FREQ? MAX")))
        client.send("FREQ DEFault")
        self.assertEqual(float(client.ask("FREQ?")), 1e6)
        self.assertEqual(float(client.ask("FREQ? MINimum")), 50e3)

    def test_the_status_register_is_true(self) -> None:
        client = self.client("generator")
        client.ask("*ESR?")
        client.send("*ESE 48;*SRE 32")
        self.assertEqual(client.ask("*STB?"), "0")
        for wrong, bit in (("FREK 1", 32), ("FREQ 99 GHZ", 16), ("FREQ 1 VOLT", 32)):
            client.send(wrong)
            self.assertEqual(int(client.ask("*STB?")), 4 + 32 + 64, wrong)
            self.assertEqual(int(client.ask("*ESR?")), bit, wrong)
            self.assertEqual(len(client.errors()), 1, wrong)
        client.send("*OPC")
        self.assertEqual(client.ask("*ESR?"), "1")
        self.assertEqual(client.ask("*IDN?;*STB?").rpartition(";")[2], "16")  # an answer waits

    def test_a_client_of_somebody_else_s_is_answered(self) -> None:
        """Debian's lxi where it is installed; elsewhere a new connection for each line, as it makes them."""
        for name, instrument in self.rig.instruments.items():
            for question in (*COMMON_QUESTIONS, *(f"{next(long_and_short(p))}?" for p in instrument.commands if not p.startswith("*"))):
                said = self.asked_anew(self.rig.ports[name], f"{question};*OPC?")
                self.assertTrue(said.strip().endswith("1"), (name, question, said))

    @staticmethod
    def asked_anew(port: int, line: str) -> str:
        if LXI:
            call = [LXI, "scpi", "--address", "127.0.0.1", "--port", str(port), "--raw", "--timeout", "2", line]
            return subprocess.run(call, capture_output=True, text=True, timeout=20, check=False).stdout
        client = Client(port)
        try:
            return client.ask(line)
        finally:
            client.close()
