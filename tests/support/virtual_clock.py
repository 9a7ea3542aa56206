"""A clock on which nothing takes time but what somebody waits for: the same course of events each time, as fast as the processor goes.

Threads take turns on it: one runs, and goes on until it waits; then whoever can go on does, in the order of asking; when nobody can,
time moves to where the first of them need wait no longer. So all that waits has its locks, events and threads from here.
"""

import itertools
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from types import TracebackType

from calm_needle.clock import Clock, Condition, Event, Lock, Worker

MORNING = datetime(2026, 11, 24, 10, 0, tzinfo=UTC)


class Stuck(Exception):
    """Everybody waits for somebody else."""


class _Task:
    """A thread that takes turns: what it waits for, and until when."""

    def __init__(self, name: str) -> None:
        self.name, self.turn = name, threading.Semaphore(0)
        self.ready: Callable[[], bool] = lambda: True
        self.due_s: float | None = None
        self.order = 0
        self.done = False

    def is_alive(self) -> bool:
        return not self.done


class _Worker(Worker):
    def __init__(self, clock: "VirtualClock", task: _Task) -> None:
        self._clock, self._task = clock, task

    def is_alive(self) -> bool:
        return not self._task.done

    def join(self, timeout: float | None = None) -> None:
        self._clock.until(lambda: self._task.done, timeout)


class VirtualClock(Clock):
    """Made in the thread that takes the first turn."""

    def __init__(self, start: datetime = MORNING) -> None:
        self._start, self._now_s = start, 0.0
        self._order = itertools.count(1)
        self._here = threading.local()
        self._here.task = self._running = _Task("test")
        self._tasks = [self._running]

    def utc(self) -> datetime:
        return self._start + timedelta(seconds=self._now_s)

    def monotonic(self) -> float:
        return self._now_s

    def wait(self, seconds: float, *, until: Event | None = None) -> bool:
        return self.until(until.is_set if until is not None else lambda: False, max(0.0, seconds))

    def event(self) -> Event:
        return _Event(self)

    def lock(self) -> Lock:
        return _Lock(self)

    def condition(self, lock: Lock | None = None) -> Condition:
        assert lock is None or isinstance(lock, _Lock)
        return _Condition(self, lock or _Lock(self))

    def start(self, work: Callable[[], None], *, name: str) -> Worker:
        task = _Task(name)
        task.order = next(self._order)

        def run() -> None:
            self._here.task = task
            task.turn.acquire()
            try:
                work()
            finally:
                task.done = True
                self._tasks.remove(task)
                self._give(self._next())

        self._tasks.append(task)
        threading.Thread(target=run, name=name, daemon=True).start()
        return _Worker(self, task)

    # Taking turns.

    def until(self, ready: Callable[[], bool], seconds: float | None) -> bool:
        """Let others go on until something is so, or for so long (None: however long it takes); return whether it is."""
        me = self.task
        me.ready, me.order = ready, next(self._order)
        me.due_s = None if seconds is None else self._now_s + seconds
        following = self._next()
        if following is not me:
            self._give(following)
            me.turn.acquire()
        return ready()

    @property
    def task(self) -> _Task:
        """Whoever runs. A thread of another's making waits for nothing here: it is no part of the order."""
        task: _Task | None = getattr(self._here, "task", None)
        if task is None:
            raise Stuck(f"{threading.current_thread().name} was not started by this clock")
        return task

    def _give(self, task: _Task) -> None:
        self._running = task
        task.turn.release()

    def _next(self) -> _Task:
        if able := [t for t in self._tasks if t.ready()]:
            return min(able, key=lambda t: t.order)
        waiting = [t for t in self._tasks if t.due_s is not None]
        if not waiting:
            raise Stuck(f"all of them wait: {', '.join(t.name for t in self._tasks)}")
        first = min(waiting, key=lambda t: (t.due_s, t.order))
        assert first.due_s is not None
        self._now_s = max(self._now_s, first.due_s)
        return first


class _Event(Event):
    def __init__(self, clock: VirtualClock) -> None:
        self._clock, self._set = clock, False

    def is_set(self) -> bool:
        return self._set

    def set(self) -> None:
        self._set = True

    def clear(self) -> None:
        self._set = False

    def wait(self, timeout: float | None = None) -> bool:
        return self._clock.until(self.is_set, timeout)


class _Lock(Lock):
    def __init__(self, clock: VirtualClock) -> None:
        self.clock, self.times = clock, 0
        self.holder: _Task | None = None

    def acquire(self, blocking: bool = True, timeout: float = -1) -> bool:
        me = self.clock.task
        free = self.holder in (None, me) or (blocking and self.clock.until(lambda: self.holder is None, timeout if timeout >= 0 else None))
        if not free:
            return False
        self.holder, self.times = me, self.times + 1
        return True

    def release(self) -> None:
        assert self.holder is self.clock.task
        self.times -= 1
        if not self.times:
            self.holder = None

    def __enter__(self) -> bool:
        return self.acquire()

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None, /) -> None:
        self.release()


class _Condition(Condition):
    def __init__(self, clock: VirtualClock, lock: _Lock) -> None:
        self._clock, self._lock = clock, lock

    def __enter__(self) -> bool:
        return self._lock.acquire()

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None, /) -> None:
        self._lock.release()

    def wait_for(self, predicate: Callable[[], bool], timeout: float | None = None) -> bool:
        lock, me = self._lock, self._clock.task
        if predicate():
            return True
        held, lock.times, lock.holder = lock.times, 0, None

        def able() -> bool:
            return lock.holder is None and predicate()

        self._clock.until(able, timeout)
        if lock.holder is not None:  # its time is over, and somebody holds the lock
            self._clock.until(lambda: lock.holder is None, None)
        lock.holder, lock.times = me, held
        return predicate()

    def notify_all(self) -> None:
        """Nothing to do: whoever waits is asked at each turn whether it need."""
