"""A meter and a generator on a serial line, each with a language of its own, at the other end of a pseudo-terminal."""

import os
import select
import threading
import tty
from collections.abc import Callable

Answer = Callable[[str], str | None]


class OddDialect:
    """Answers lines that end in a carriage return. `resource` is what VISA calls its line; `told` what it was sent."""

    def __init__(self, answer: Answer, *, sends: str = "") -> None:
        """sends: what it sends by itself, over and over, whatever it is asked."""
        self._answer, self._sends = answer, sends
        self._master, slave = os.openpty()
        tty.setraw(self._master)
        tty.setraw(slave)
        self.resource = f"ASRL{os.ttyname(slave)}::INSTR"
        self._slave = slave
        self.told: list[str] = []
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

    def _work(self) -> None:
        got = b""
        while not self._stop.is_set():
            if not select.select([self._master], [], [], 0.02)[0]:
                if self._sends:
                    os.write(self._master, self._sends.encode())
                continue
            got += os.read(self._master, 1000)
            while b"\r" in got:
                line, _, got = got.partition(b"\r")
                self.told.append(line.decode())
                reply = self._answer(self.told[-1])
                if reply is not None:
                    os.write(self._master, reply.encode())

    def close(self) -> None:
        """Pull the plug."""
        self._stop.set()
        self._thread.join(2)
        os.close(self._slave)
        os.close(self._master)
