"""The clock of tests with a browser, whose own time is real: what has to come to rest does so at once, for everybody's clock goes on by
as much; what is done every so often is done as often as ever."""

import threading
import time
from datetime import UTC, datetime, timedelta

from calm_needle.clock import Clock, Event


class HastyClock(Clock):
    def __init__(self) -> None:
        self._passed_s, self._lock = 0.0, threading.Lock()

    def utc(self) -> datetime:
        return datetime.now(UTC) + timedelta(seconds=self._passed_s)

    def monotonic(self) -> float:
        return time.monotonic() + self._passed_s

    def wait(self, seconds: float, *, until: Event | None = None) -> bool:
        with self._lock:
            self._passed_s += max(0.0, seconds)
        return until is not None and until.is_set()
