"""How a figure is put into words."""

import statistics
import time
from collections.abc import Callable, Sequence


def quantile(values: Sequence[float], share: float) -> float:
    """Return the value that this share of the values stays under or at."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))]


def milliseconds(name: str, seconds: Sequence[float], *, most: str) -> str:
    """Return a line with median, 95th percentile and count of durations."""
    median, p95 = 1e3 * statistics.median(seconds), 1e3 * quantile(seconds, 0.95)
    return f"{name}: median {median:.1f} ms, p95 {p95:.1f} ms of {len(seconds)}; wanted {most}"


def per_second(work: Callable[[], int], *, rounds: int = 5) -> float:
    """Return the median of how many pieces of work a second were done, over rounds after a first that is not counted."""
    work()
    rates = []
    for _ in range(rounds):
        began = time.perf_counter()
        done = work()
        rates.append(done / (time.perf_counter() - began))
    return statistics.median(rates)
