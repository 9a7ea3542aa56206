"""A line to an instrument and back: the one thing every driver needs, and its VISA form."""

import select
import socket
import threading
from typing import Any, Protocol

from calm_needle.errors import InstrumentGone, InstrumentSilent

TIMEOUT_MS = 1500
CONNECT_MS = 1000


class Transport(Protocol):
    """Where lines go out and answers come back. Raises InstrumentGone or InstrumentSilent, and is usable again afterwards."""

    def write(self, line: str) -> None: ...

    def query(self, line: str) -> str: ...

    def close(self) -> None: ...


class VisaTransport:
    """A VISA resource, opened when it is first needed and opened again after it was lost. One question at a time.

    Works around four habits of pyvisa-py 0.8 on raw sockets: opening a refused port reports nothing until the first
    question; a peer that closed looks like a time-out; a late answer would be given to the next question; and its
    sessions are not safe between threads.
    """

    def __init__(self, resource: str, *, name: str, timeout_ms: int = TIMEOUT_MS) -> None:
        self.resource, self.name, self._timeout_ms = resource, name, timeout_ms
        self._lock = threading.Lock()
        self._session: Any = None
        self._socket: socket.socket | None = None

    def write(self, line: str) -> None:
        with self._lock:
            self._talk(line, asks=False)

    def query(self, line: str) -> str:
        with self._lock:
            return self._talk(line, asks=True)

    def close(self) -> None:
        with self._lock:
            self._drop()

    def _talk(self, line: str, *, asks: bool) -> str:
        import pyvisa  # 0.3 s: not before an instrument is really spoken to

        try:
            if self._session is not None and self._peer_closed():
                self._drop()
            if self._session is None:
                self._open()
            if asks:
                return str(self._session.query(line)).strip()
            self._session.write(line)
            return ""
        except pyvisa.errors.VisaIOError as fault:
            gone = self._session is None or self._peer_closed()
            # A late answer must never be taken for that of the next question.
            self._drop()
            if gone or fault.error_code != pyvisa.constants.StatusCode.error_timeout:
                raise InstrumentGone(self.name, self.resource) from fault
            raise InstrumentSilent(self.name, line) from fault
        except (OSError, ValueError) as fault:
            # pyvisa-py lets ConnectionRefusedError, BrokenPipeError and, for a name it cannot read, ValueError through.
            self._drop()
            raise InstrumentGone(self.name, self.resource) from fault

    def _open(self) -> None:
        manager = _manager()
        self._session = manager.open_resource(
            self.resource, open_timeout=CONNECT_MS, read_termination="\n", write_termination="\n", timeout=self._timeout_ms
        )
        inner = getattr(manager.visalib.sessions.get(self._session.session), "interface", None)
        if isinstance(inner, socket.socket):
            self._socket = inner
            inner.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            if refused := inner.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR):
                raise ConnectionRefusedError(refused, "no connection")

    def _peer_closed(self) -> bool:
        if self._socket is None:
            return False
        try:
            readable = select.select([self._socket], [], [], 0)[0]
            return bool(readable) and self._socket.recv(1, socket.MSG_PEEK) == b""
        except (OSError, ValueError):
            return True

    def _drop(self) -> None:
        session, self._session, self._socket = self._session, None, None
        if session is not None:
            try:
                session.close()
            except Exception:  # pyvisa-py raises what it likes when closing what is broken; it is dropped either way
                return


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
