"""A meter whose answers come late, in bunches, or not at all: what a bench reads on a machine that has no time for it."""

import random
from collections.abc import Callable

from calm_needle.clock import Clock

LEAST_S, MOST_S = 0.01, 2.0
READINGS = ("MEAS", "READ", "FREQ?")


def late(clock: Clock, *, seed: int, most_s: float = MOST_S) -> Callable[[str, str], None]:
    """Each answer of a meter takes from a hundredth of a second to so long, as likely short as long by its order of magnitude."""
    rng = random.Random(f"{seed} late")

    def hold_up(kind: str, line: str) -> None:
        if _is_reading(kind, line):
            clock.wait(LEAST_S * (most_s / LEAST_S) ** rng.random())

    return hold_up


def bunched(clock: Clock, *, seed: int) -> Callable[[str, str], None]:
    """A few answers one right after the other, then nothing for up to two seconds."""
    rng = random.Random(f"{seed} bunched")
    left = 0

    def hold_up(kind: str, line: str) -> None:
        nonlocal left
        if not _is_reading(kind, line):
            return
        left -= 1
        if left < 0:
            left = rng.randrange(1, 12)
            clock.wait(rng.uniform(0.2, MOST_S))

    return hold_up


def steady(clock: Clock, *, every_s: float) -> Callable[[str, str], None]:
    """Each answer takes the same time."""

    def hold_up(kind: str, line: str) -> None:
        if _is_reading(kind, line):
            clock.wait(every_s)

    return hold_up


def _is_reading(kind: str, line: str) -> bool:
    return kind in ("ac-millivoltmeter", "counter") and line.startswith(READINGS)
