"""Time, from one place: what the date is, how much of it has passed, and waiting.

A `Clock` is given from the top (the workshop, the command) to everything that dates, measures or waits for time. A store's connection
carries the clock of its workshop, so whoever keeps something dates it by that (`now_utc`). The product runs on the real one. A test gives
another, on which waiting takes no time: so whatever waits has its locks, events and threads from the clock too.
"""

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from types import TracebackType
from typing import Protocol, cast


class Event(Protocol):
    """As threading.Event."""

    def is_set(self) -> bool: ...

    def set(self) -> None: ...

    def clear(self) -> None: ...

    def wait(self, timeout: float | None = None) -> bool: ...


class Lock(Protocol):
    """As threading.RLock."""

    def acquire(self, blocking: bool = True, timeout: float = -1) -> bool: ...

    def release(self) -> None: ...

    def __enter__(self) -> bool: ...

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None, /) -> bool | None: ...


class Condition(Protocol):
    """As threading.Condition, its lock being its own or the one given."""

    def __enter__(self) -> bool: ...

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None, /) -> bool | None: ...

    def wait_for(self, predicate: Callable[[], bool], timeout: float | None = None) -> bool: ...

    def notify_all(self) -> None: ...


class Worker(Protocol):
    """As threading.Thread."""

    def is_alive(self) -> bool: ...

    def join(self, timeout: float | None = None) -> None: ...


class Clock:
    """The real clock, and threads that really wait. Whatever gives another overrides all of it."""

    def utc(self) -> datetime:
        """Return the date and the time of day."""
        return datetime.now(UTC)

    def monotonic(self) -> float:
        """Return seconds that never go back, from any beginning."""
        return time.monotonic()

    def wait(self, seconds: float, *, until: Event | None = None) -> bool:
        """Let so much time pass, or less where an event comes; return whether it came."""
        if until is not None:
            return until.wait(max(0.0, seconds))
        time.sleep(max(0.0, seconds))
        return False

    def browser_s(self, seconds: float) -> float:
        """Return the seconds a browser must wait, by its own clock, for so many of this one."""
        return seconds

    def event(self) -> Event:
        return threading.Event()

    def lock(self) -> Lock:
        """Return a lock that its holder may take again."""
        return threading.RLock()

    def condition(self, lock: Lock | None = None) -> Condition:
        return threading.Condition(cast(threading.RLock, lock))

    def start(self, work: Callable[[], None], *, name: str) -> Worker:
        """Do something beside everything else; it does not keep the program from ending."""
        thread = threading.Thread(target=work, name=name, daemon=True)
        thread.start()
        return thread

    def text(self) -> str:
        """Return the time as it is kept: ISO 8601 UTC with milliseconds, 2026-11-24T09:15:02.125Z."""
        return to_text(self.utc())


SYSTEM = Clock()


def now_utc(store: object) -> str:
    """Return the time as it is kept, by the clock that a store's connection carries; by the real one where it carries none."""
    return clock_of(store).text()


def clock_of(store: object) -> Clock:
    """Return the clock that a store's connection carries."""
    return cast(Clock, getattr(store, "clock", SYSTEM))


def to_text(moment: datetime) -> str:
    """Return a moment as it is kept."""
    return moment.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def from_text(at_utc: str) -> datetime:
    """Return a kept time as a moment."""
    return datetime.fromisoformat(at_utc)


def later(at_utc: str, by_s: float) -> str:
    """Return the stored time that is by_s seconds after a stored time."""
    return to_text(from_text(at_utc) + timedelta(seconds=by_s))


@lru_cache(maxsize=4096)  # one reading's time is asked for several times
def seconds(at_utc: str) -> float:
    """Return a kept time as seconds since 1970."""
    return datetime.fromisoformat(at_utc).timestamp()
