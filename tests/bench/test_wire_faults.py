"""Instruments that send what nobody asked for, or never end."""

import contextlib
import socketserver
import threading
import unittest
from collections.abc import Callable

from calm_needle.bench.transport import LONGEST_ANSWER, VisaTransport
from calm_needle.errors import InstrumentNonsense, InstrumentSilent, InstrumentSurplus
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.live_bench import LiveBench, Wanted
from tests.support import halvern
from tests.support.bench_client import Client


class Wire(socketserver.ThreadingTCPServer):
    """An instrument on a socket that answers as it is told: a function from the line and how many have come before to the bytes."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, answer: Callable[[str, int], bytes | list[bytes]]) -> None:
        self.answer, self.asked, self.stop = answer, 0, threading.Event()
        super().__init__(("127.0.0.1", 0), WireHandler)
        threading.Thread(target=self.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()

    @property
    def resource(self) -> str:
        return f"TCPIP::127.0.0.1::{self.server_address[1]}::SOCKET"

    def close(self) -> None:
        self.stop.set()
        self.shutdown()
        self.server_close()


class WireHandler(socketserver.StreamRequestHandler):
    disable_nagle_algorithm = True
    server: Wire

    def handle(self) -> None:
        with contextlib.suppress(OSError):
            while line := self.rfile.readline().decode().strip():
                answer = self.server.answer(line, self.server.asked)
                self.server.asked += 1
                for piece in [answer] if isinstance(answer, bytes) else answer:
                    if self.server.stop.is_set():
                        return
                    self.wfile.write(piece)
                    if isinstance(answer, list):
                        self.server.stop.wait(0.1)


class OnTheWire(unittest.TestCase):
    def wire(self, answer: Callable[[str, int], bytes | list[bytes]]) -> Wire:
        wire = Wire(answer)
        self.addCleanup(wire.close)
        return wire

    def link(self, wire: Wire, timeout_ms: int = 2000) -> VisaTransport:
        link = VisaTransport(wire.resource, name="multimeter", timeout_ms=timeout_ms)
        self.addCleanup(link.close)
        return link


class ASurplusLine(OnTheWire):
    def test_what_lies_there_unasked_is_read_away_and_the_question_not_sent(self) -> None:
        link = self.link(self.wire(lambda line, n: b"111\n0.5\n" if n == 0 else f"{line} {n}\n".encode()))
        self.assertEqual(link.query("MEAS:VOLT:DC?"), "111")
        with self.assertRaises(InstrumentSurplus) as caught:
            link.query("MEAS:CURR:AC?")
        self.assertIn("sent “0.5” unasked", str(caught.exception))
        self.assertEqual(link.query("MEAS:CURR:AC?"), "MEAS:CURR:AC? 1", "in step again")

    def test_readings_taken_meanwhile_are_struck_and_the_meter_is_odd(self) -> None:
        # In step at first; then one line too many, and every answer from there on belongs to the question before.
        def answer(line: str, n: int) -> bytes:
            if line == "*IDN?":
                return b"Some,Meter,1,1\n"
            if line.startswith("SYST"):
                return b'0,"No error"\n'
            # The first measurement asked for from the twelfth question on; which of them that is, the clock decides.
            if n >= 12 and not spoiled:
                spoiled.append(n)
                return b"0.9\n0.1\n"
            return b"0.1\n"

        spoiled: list[int] = []
        equipment = Equipment()
        bench = LiveBench(equipment)
        self.addCleanup(bench.close)
        step = next(s for s in halvern.model().groups[0].steps)
        client = Client(lambda: Wanted(step, (), None, "step", 1))
        states: list[str] = []
        told = client.publish

        def publish(*, changed: bool = False) -> None:
            states.extend(s.state for s in equipment.states)
            told(changed=changed)

        client.publish = publish  # type: ignore[method-assign]
        bench.connect({"ac-millivoltmeter": self.wire(answer).resource})
        bench.attach(client)
        self.assertTrue(client.wait_for(lambda: bool(client.struck)))
        after, reason = client.struck[0]
        self.assertEqual(reason, "the a.c. millivoltmeter answered out of step")
        self.assertIn(0.9, client.taken[after:], "what came in the place of an answer is among what is struck")
        self.assertIn("odd", states)
        so_far = len(client.taken)
        self.assertTrue(client.wait_for(lambda: len(client.taken) > so_far + 2), "and it is read again")


class AnAnswerThatNeverEnds(OnTheWire):
    def test_bytes_that_dribble_in_do_not_put_off_the_end(self) -> None:
        link = self.link(self.wire(lambda line, n: [b"1"] * 200), timeout_ms=500)
        with self.assertRaises(InstrumentSilent):
            link.query("MEAS:VOLT:AC?")

    def test_endless_bytes_are_no_reading_and_are_not_gathered(self) -> None:
        link = self.link(self.wire(lambda line, n: b"1" * (20 * LONGEST_ANSWER)))
        with self.assertRaises(InstrumentNonsense) as caught:
            link.query("MEAS:VOLT:AC?")
        self.assertIn("and over 65536 byt", str(caught.exception))

    def test_a_stray_high_byte_is_an_odd_answer_and_no_broken_cable(self) -> None:
        link = self.link(self.wire(lambda line, n: b"0.1\xb5\n"))
        with self.assertRaises(InstrumentNonsense):
            link.query("MEAS:VOLT:AC?")
        self.assertNotIsInstance(InstrumentNonsense, ConnectionError)


if __name__ == "__main__":
    unittest.main()
