"""The stand-in bench: generator, meters and practice set, each on its own socket, in a process of its own.

Started as `python -m calm_needle.sim.rig DOSSIER.json …`; prints one line of JSON with its ports and serves until its standard
input closes, which it does when the process that started it ends, however that ends. The set's cores are kept in a file, for
they stay where they were turned to when instruments are unplugged.
"""

import argparse
import contextlib
import json
import os
import socketserver
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.read import read_model
from calm_needle.sim.instruments.counter import FrequencyCounter
from calm_needle.sim.instruments.generator import SignalGenerator
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.instruments.lcr_meter import LcrMeter
from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.instruments.multimeter import Multimeter
from calm_needle.sim.instruments.oscilloscope import Oscilloscope
from calm_needle.sim.instruments.stand_in import StandIn
from calm_needle.sim.receiver.practice import LEFT_OFF, PracticeReceiver

LONGEST_LINE = 4096


def instruments_at(receiver: PracticeReceiver, *, keep: Callable[[], None], seed: int | None = None) -> dict[str, StandIn]:
    """Return the instruments wired to a practice receiver, by kind; they go by its clock. keep: called when the set was changed.
    seed: of the instruments' own errors, the receiver's if None."""
    seed = receiver.seed if seed is None else seed
    meter = Millivoltmeter(receiver, seed=seed, clock=receiver.clock)
    generator, hands = SignalGenerator(receiver, seed=seed), Hands(receiver, keep=keep)
    generator.about_to_change = hands.about_to_change = meter.catch_up
    return {
        "generator": generator,
        "ac-millivoltmeter": meter,
        "counter": FrequencyCounter(receiver, seed=seed),
        "oscilloscope": Oscilloscope(receiver, seed=seed),
        "multimeter": Multimeter(receiver, seed=seed),
        "lcr-meter": LcrMeter(receiver, seed=seed),
        "practice-set": hands,
    }


class Rig:
    """The instruments wired to one practice receiver, and their sockets."""

    def __init__(self, receiver: PracticeReceiver, *, state_file: Path | None, ports: dict[str, int]) -> None:
        self.receiver, self._state_file = receiver, state_file
        if state_file and state_file.exists():
            # One that is damaged is as if there were none: the set stands as it came.
            with contextlib.suppress(OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
                receiver.restore(json.loads(state_file.read_text(encoding="utf-8")))
        self.instruments = instruments_at(receiver, keep=self.keep)
        lock = threading.Lock()  # one receiver behind them all
        self.servers = {name: _Server(instrument, lock, ports.get(name, 0)) for name, instrument in self.instruments.items()}
        self.keep()

    @property
    def ports(self) -> dict[str, int]:
        return {name: server.server_address[1] for name, server in self.servers.items()}

    def keep(self) -> None:
        """Write the set's state beside the old one and put it in its place: it is never half written."""
        if self._state_file:
            fresh = self._state_file.with_suffix(".new")
            with fresh.open("w", encoding="utf-8") as out:
                out.write(json.dumps(self.receiver.state()))
                out.flush()
                os.fsync(out.fileno())
            fresh.replace(self._state_file)

    def start(self) -> None:
        for server in self.servers.values():
            threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()

    def close(self) -> None:
        for server in self.servers.values():
            server.shutdown()
            server.server_close()


class _Handler(socketserver.StreamRequestHandler):
    disable_nagle_algorithm = True
    server: "_Server"

    def handle(self) -> None:
        while True:
            line = self.rfile.readline(LONGEST_LINE)
            if not line.endswith(b"\n"):
                return  # closed, or longer than any command
            with self.server.lock:
                reply = self.server.instrument.answer(line.decode("ascii", "replace"))
            if reply is not None:
                self.wfile.write(reply.encode("latin-1", "replace") + b"\n")


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, instrument: StandIn, lock: threading.Lock, port: int) -> None:
        self.instrument, self.lock = instrument, lock
        super().__init__(("127.0.0.1", port), _Handler)

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that left in the middle of a line is no event."""


def main(argv: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("dossier", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--misalign", choices=sorted(LEFT_OFF), default="moderate")
    parser.add_argument("--fault", action="append", default=[], help="a fault of the dossier's simulation, by its id")
    parser.add_argument("--state", type=Path, default=None, help="file that keeps the cores' positions")
    parser.add_argument("--ports", default="{}", help="JSON: name to port; a free one where none is given")
    arguments = parser.parse_args(argv)
    data, _ = filled_in(json.loads(arguments.dossier.read_text(encoding="utf-8")))
    model = read_model(data)
    receiver = PracticeReceiver(model, seed=arguments.seed, misalign=arguments.misalign, faults=arguments.fault)
    rig = Rig(receiver, state_file=arguments.state, ports=json.loads(arguments.ports))
    rig.start()
    print(json.dumps({"ports": rig.ports, "pid": os.getpid()}), flush=True)
    sys.stdin.read()  # until whoever started it is gone
    rig.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
