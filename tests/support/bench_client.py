"""A run as the thread at the instruments sees it."""

import threading
from collections.abc import Callable, Mapping
from typing import Any

from calm_needle.core.quantities import Quantity
from calm_needle.work.instruments.live_bench import Wanted

WAIT_S = 120.0  # it only stops a hang: nothing here is judged by its time


class Client:
    """A run that wants readings, as the bench sees it; it notes what it is told."""

    def __init__(self, wanted: Callable[[], Wanted]) -> None:
        self._wanted = wanted
        self.taken: list[float] = []
        self.struck: list[tuple[int, str]] = []
        self.told = threading.Condition()
        self.published = 0

    def wanted(self) -> Wanted:
        return self._wanted()

    def mark(self) -> int:
        return len(self.taken)

    def take_reading(self, quantity: Quantity, positions: Mapping[str, Any], read_for: Wanted, **_: Any) -> None:
        with self.told:
            self.taken.append(quantity.value)
            self.told.notify_all()

    def distrust(self, after: int, reason: str) -> None:
        with self.told:
            self.struck.append((after, reason))
            self.told.notify_all()

    def watched(self) -> bool:
        return True

    def publish(self, *, changed: bool = False) -> None:
        with self.told:
            self.published += 1
            self.told.notify_all()

    def wait_for(self, what: Callable[[], bool]) -> bool:
        with self.told:
            return self.told.wait_for(what, WAIT_S)
