"""The time of day, in the one form in which it is kept; and waiting, through a pace that tests may hurry."""

import threading
import time
from datetime import UTC, datetime
from functools import lru_cache


def now_utc() -> str:
    """Return the time as ISO 8601 UTC with milliseconds: 2026-11-24T09:15:02.125Z."""
    return to_text(datetime.now(UTC))


def to_text(moment: datetime) -> str:
    """Return a moment as it is kept."""
    return moment.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def from_text(at_utc: str) -> datetime:
    """Return a kept time as a moment."""
    return datetime.fromisoformat(at_utc)


@lru_cache(maxsize=4096)  # one reading's time is asked for several times
def seconds(at_utc: str) -> float:
    """Return a kept time as seconds since 1970."""
    return datetime.fromisoformat(at_utc).timestamp()


class Pace:
    """How waiting is done. skips: at a practice set its time is let go by instead, so that nobody sits and waits for it to settle."""

    def __init__(self, *, skips: bool = False) -> None:
        self.skips = skips

    def wait(self, seconds: float, *, until: threading.Event | None = None) -> None:
        """Wait so long, or until an event."""
        if until is None:
            time.sleep(max(0.0, seconds))
        else:
            until.wait(max(0.0, seconds))


REAL = Pace()
