import socketserver
import threading
import unittest

from calm_needle.bench.transport import VisaTransport
from calm_needle.errors import InstrumentGone, InstrumentSilent

TIMEOUT_MS = 2000  # these machines pause


class _Handler(socketserver.StreamRequestHandler):
    disable_nagle_algorithm = True
    server: "_Wire"

    def handle(self) -> None:
        while line := self.rfile.readline().decode().strip():
            answer = self.server.answers.get(line)
            if answer == "HANG UP":
                return
            if answer is not None:
                self.wfile.write(answer.encode() + b"\n")


class _Wire(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True
    answers: dict[str, str]


class OverARealSocket(unittest.TestCase):
    def serve(self, port: int = 0, **answers: str) -> _Wire:
        server = _Wire(("127.0.0.1", port), _Handler)
        server.answers = {k.replace("_", "?"): v for k, v in answers.items()}
        threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return server

    def link(self, port: int, timeout_ms: int = TIMEOUT_MS) -> VisaTransport:
        link = VisaTransport(f"TCPIP::127.0.0.1::{port}::SOCKET", name="generator", timeout_ms=timeout_ms)
        self.addCleanup(link.close)
        return link

    def test_a_question_is_answered(self) -> None:
        server = self.serve(FREQ_="468000")
        self.assertEqual(self.link(server.server_address[1]).query("FREQ?"), "468000")

    def test_nobody_there_is_said_at_the_first_word(self) -> None:
        server = self.serve()
        port = server.server_address[1]
        server.shutdown()
        server.server_close()
        with self.assertRaises(InstrumentGone) as caught:
            self.link(port).query("*IDN?")
        self.assertIn("is not there. Check its power and its cable", str(caught.exception))

    def test_one_that_hangs_up_is_gone_and_not_merely_slow(self) -> None:
        server = self.serve(FREQ_="HANG UP")
        link = self.link(server.server_address[1])
        with self.assertRaises(InstrumentGone):
            link.query("FREQ?")
        server.answers["FREQ?"] = "1"
        self.assertEqual(link.query("FREQ?"), "1", "taken up again by itself")

    def test_a_late_answer_is_not_given_to_the_next_question(self) -> None:
        server = self.serve(A_="1", B_="2")
        link = self.link(server.server_address[1], timeout_ms=300)
        del server.answers["A?"]
        with self.assertRaises(InstrumentSilent):
            link.query("A?")
        self.assertEqual(link.query("B?"), "2")
