"""A line to an instrument and back: the one thing every driver needs, and its VISA form."""

from __future__ import annotations

import contextlib
import os
import select
import socket
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol, TypeVar

from calm_needle.core.description import ENDS, Line
from calm_needle.errors import InstrumentGone, InstrumentNonsense, InstrumentSilent, InstrumentSurplus

TIMEOUT_MS = 1500  # for a whole answer, however it dribbles in
CONNECT_MS = 1000
LONGEST_ANSWER = 65_536  # bytes: far more than any line of a meter
LONGEST_BLOCK = 1_000_000
CHUNK = 4096
USUAL_LINE = Line()
Reply = TypeVar("Reply")


class Transport(Protocol):
    """Where lines go out and answers come back. Raises InstrumentError, and is usable again afterwards.

    query: what lies there unasked before the question is read away and raised as InstrumentSurplus, the question not being sent; an
    answer is whole within a total deadline and a length, or there is none.
    """

    def write(self, line: str) -> None: ...

    def query(self, line: str) -> str: ...

    def query_block(self, line: str) -> bytes:
        """Ask for a definite-length block (IEEE 488.2, 8.7.9), and return what is in it."""

    def close(self) -> None: ...


class Wire(Transport, Protocol):
    """A transport by its resource name, which may also send by itself."""

    resource: str

    def listen(self) -> str:
        """Return the next whole line of an instrument that sends by itself."""


class VisaTransport:
    """A VISA resource, opened when it is first needed and opened again after it was lost. One question at a time.

    Works around habits of pyvisa-py 0.8 on raw sockets: opening a refused port reports nothing until the first question; a peer
    that closed looks like a time-out; its time-out begins anew with every byte, and nothing limits the bytes; and its sessions are
    not safe between threads. So answers on a raw socket are read here, with a deadline; other resources are read by VISA.
    """

    def __init__(self, resource: str, *, name: str, timeout_ms: int = TIMEOUT_MS, line: Line = USUAL_LINE) -> None:
        self.resource, self.name, self._timeout_ms, self._line = resource, name, timeout_ms, line
        self._end = ENDS[line.answers_end].encode()
        self._lock = threading.Lock()
        self._session: Any = None
        self._socket: _Bytes | None = None
        self._left = b""  # what came behind the end of the last answer

    def write(self, line: str) -> None:
        with self._lock:
            self._talk(line, lambda _: None, asks=False)

    def query(self, line: str) -> str:
        with self._lock:
            return self._talk(line, self._answer)

    def query_block(self, line: str) -> bytes:
        with self._lock:
            return self._talk(line, self._block)

    def listen(self) -> str:
        """Return the next whole line of an instrument that sends by itself; what lay there, and the rest of a line begun, is let go."""
        with self._lock:
            return self._talk("", self._next_line, says=False)

    def close(self) -> None:
        with self._lock:
            self._drop()

    def _next_line(self, line: str) -> str:
        with contextlib.suppress(InstrumentSurplus):
            self._drain()
        self._answer(line)
        return self._answer(line)

    def _talk(self, line: str, answer: Callable[[str], Reply], *, asks: bool = True, says: bool = True) -> Reply:
        import pyvisa  # 0.3 s: not before an instrument is really spoken to

        try:
            if self._session is not None and self._peer_closed():
                self._drop()
            if self._session is None:
                self._open()
            if says:
                if asks:
                    self._drain()
                self._session.write(line)
            return answer(line)
        except pyvisa.errors.VisaIOError as fault:
            gone = self._session is None or self._peer_closed()
            # A late answer must never be taken for that of the next question.
            self._drop()
            if gone or fault.error_code != pyvisa.constants.StatusCode.error_timeout:
                raise InstrumentGone(self.name, self.resource) from fault
            raise InstrumentSilent(self.name, line) from fault
        except InstrumentNonsense:
            raise
        except TimeoutError as fault:
            self._drop()
            raise InstrumentSilent(self.name, line) from fault
        except (OSError, ValueError) as fault:
            # pyvisa-py lets ConnectionRefusedError, BrokenPipeError and, for a name it cannot read, ValueError through.
            self._drop()
            raise InstrumentGone(self.name, self.resource) from fault

    def _answer(self, line: str) -> str:
        """Read one line. Raises TimeoutError, InstrumentNonsense, or what a broken connection raises."""
        wire = self._socket
        if wire is None:
            return str(self._session.read()).strip()
        deadline, got = time.monotonic() + self._timeout_ms / 1000.0, self._left
        while self._end not in got:
            if len(got) > LONGEST_ANSWER:
                self._drop()
                raise InstrumentNonsense(self.name, line, f"{got[:20].decode('ascii', 'replace')}… and over {LONGEST_ANSWER} bytes more")
            got += self._more(wire, deadline)
        answer, _, self._left = got.partition(self._end)
        try:
            return answer.decode("ascii").strip()
        except UnicodeDecodeError:
            raise InstrumentNonsense(self.name, line, answer.decode("ascii", "backslashreplace")) from None

    def _block(self, line: str) -> bytes:
        """Read a block: #, how many digits, so many digits, so many bytes, and the end of the line. Raises as _answer does."""
        wire = self._socket
        if wire is None:
            return bytes(self._session.read_binary_values(datatype="B", container=bytes, header_fmt="ieee"))
        deadline, got = time.monotonic() + self._timeout_ms / 1000.0, self._left

        def upto(count: int) -> None:
            nonlocal got
            while len(got) < count:
                got += self._more(wire, deadline)

        upto(2)
        digits = got[1:2]
        if got[:1] != b"#" or not digits.isdigit() or digits == b"0":
            self._drop()
            raise InstrumentNonsense(self.name, line, got[:20].decode("ascii", "backslashreplace"))
        upto(2 + int(digits))
        length = got[2 : 2 + int(digits)]
        if not length.isdigit() or int(length) > LONGEST_BLOCK:
            self._drop()
            raise InstrumentNonsense(self.name, line, got[:20].decode("ascii", "backslashreplace"))
        begin = 2 + int(digits)
        end = begin + int(length)
        upto(end + 1)
        self._left = got[end:].partition(b"\n")[2]
        return got[begin:end]

    def _more(self, wire: _Bytes, deadline: float) -> bytes:
        """Read some more. Raises TimeoutError at the deadline, ConnectionResetError where the peer has closed."""
        left_s = deadline - time.monotonic()
        if left_s <= 0 or not select.select([wire], [], [], left_s)[0]:
            raise TimeoutError
        chunk = wire.recv(CHUNK)
        if not chunk:
            raise ConnectionResetError
        return chunk

    def _drain(self) -> None:
        """Read away what lies there before anything was asked, and say so."""
        lying, self._left = self._left, b""
        wire = self._socket
        while wire is not None and len(lying) <= LONGEST_ANSWER and select.select([wire], [], [], 0)[0]:
            chunk = wire.recv(CHUNK)
            if not chunk:
                raise ConnectionResetError
            lying += chunk
        if lying:
            if len(lying) > LONGEST_ANSWER:
                self._drop()
            raise InstrumentSurplus(self.name, lying.decode("ascii", "backslashreplace").strip())

    def _open(self) -> None:
        manager = _manager()
        ends = {"read_termination": ENDS[self._line.answers_end], "write_termination": ENDS[self._line.ends]}
        self._session = manager.open_resource(
            self.resource, open_timeout=CONNECT_MS, timeout=self._timeout_ms, **ends, **_frame(self.resource, self._line)
        )
        inner = getattr(manager.visalib.sessions.get(self._session.session), "interface", None)
        if _is_serial(self.resource) and hasattr(inner, "fileno") and os.name == "posix":
            self._socket = _Serial(inner)
        if isinstance(inner, socket.socket):
            self._socket = inner
            inner.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            if refused := inner.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR):
                raise ConnectionRefusedError(refused, "no connection")

    def _peer_closed(self) -> bool:
        if not isinstance(self._socket, socket.socket):
            return False
        try:
            readable = select.select([self._socket], [], [], 0)[0]
            return bool(readable) and self._socket.recv(1, socket.MSG_PEEK) == b""
        except (OSError, ValueError):
            return True

    def _drop(self) -> None:
        session, self._session, self._socket, self._left = self._session, None, None, b""
        if session is not None:
            try:
                session.close()
            except Exception:  # pyvisa-py raises what it likes when closing what is broken; it is dropped either way
                return


class _Bytes(Protocol):
    """What bytes are read from: a socket, or a serial line."""

    def fileno(self) -> int: ...

    def recv(self, size: int, /) -> bytes: ...


class _Serial:
    """A serial line, read as a socket is: with a deadline for the whole answer and a limit to its length."""

    def __init__(self, port: Any) -> None:
        self._port = port

    def fileno(self) -> int:
        return int(self._port.fileno())

    def recv(self, size: int, /) -> bytes:
        return os.read(self.fileno(), size)


def _is_serial(resource: str) -> bool:
    return resource.upper().startswith("ASRL")


def _frame(resource: str, line: Line) -> dict[str, Any]:
    """Speed and frame of a serial line, as VISA has them; nothing for any other."""
    if not _is_serial(resource):
        return {}
    import pyvisa.constants as of_visa

    parity = {"none": of_visa.Parity.none, "odd": of_visa.Parity.odd, "even": of_visa.Parity.even}[line.parity]
    stop = {1: of_visa.StopBits.one, 2: of_visa.StopBits.two}[line.stop_bits]
    return {"baud_rate": line.baud, "data_bits": line.data_bits, "parity": parity, "stop_bits": stop}


_shared: Any = None
_shared_lock = threading.Lock()


def _manager() -> Any:
    """The one VISA resource manager. Never ask it to list resources: that broadcasts on the network."""
    global _shared
    with _shared_lock:
        if _shared is None:
            import pyvisa

            _shared = pyvisa.ResourceManager("@py")
        return _shared
