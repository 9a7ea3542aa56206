"""The clock of tests with a browser, whose own time is real: it goes a few times as fast, and what has to come to rest does so at once,
everybody's clock going on by as much."""

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import cast

from calm_needle.clock import Clock, Condition, Event, Lock


class HastyClock(Clock):
    def __init__(self, times: float = 3.0) -> None:
        self._times, self._began_s, self._began = times, time.monotonic(), datetime.now(UTC)
        self._passed_s, self._lock = 0.0, threading.Lock()

    def utc(self) -> datetime:
        return self._began + timedelta(seconds=self.monotonic())

    def monotonic(self) -> float:
        return self._times * (time.monotonic() - self._began_s) + self._passed_s

    def wait(self, seconds: float, *, until: Event | None = None) -> bool:
        with self._lock:
            self._passed_s += max(0.0, seconds)
        return until is not None and until.is_set()

    def browser_s(self, seconds: float) -> float:
        return seconds / self._times

    def event(self) -> Event:
        return _Event(self._times)

    def condition(self, lock: Lock | None = None) -> Condition:
        return _Condition(self._times, lock)


class _Event(threading.Event):
    def __init__(self, times: float) -> None:
        super().__init__()
        self._times = times

    def wait(self, timeout: float | None = None) -> bool:
        return super().wait(None if timeout is None else timeout / self._times)


class _Condition(threading.Condition):
    def __init__(self, times: float, lock: Lock | None) -> None:
        super().__init__(cast(threading.RLock, lock))
        self._times = times

    def wait_for(self, predicate: Callable[[], bool], timeout: float | None = None) -> bool:
        return super().wait_for(predicate, None if timeout is None else timeout / self._times)
