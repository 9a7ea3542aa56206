"""What a cover over the oscillator does to the dial: read with it off and on, twice, and allowed for in what is set while it is off.

A cover is capacitance beside the coil. So what it shifts goes over the scale as what a trimmer shifts does, and one mark tells the others.
"""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from calm_needle.core.physics.dial_fit import Drawn, Reading
from calm_needle.core.physics.dial_setting import Move

TWICE = 2
APART_SHARE, APART_HZ = 0.3, 200.0  # of the shift, and at least, by which two measurements of it may differ
NONE: Mapping[str, float] = {}


class CoverShift(NamedTuple):
    """By how much a cover shifts what is received at a mark when put on (Hz); how far apart its measurements lie, how many they are."""

    dial_hz: float
    shift_hz: float
    apart_hz: float
    times: int

    @property
    def agrees(self) -> bool:
        """Whether it was measured twice, and came out alike."""
        return self.times >= TWICE and self.apart_hz <= max(APART_HZ, APART_SHARE * abs(self.shift_hz))

    def at_hz(self, drawn: Drawn, dial_hz: float) -> float:
        """Return the shift with the pointer elsewhere (Hz)."""
        here, there = drawn.slopes(NONE, ("trimmer",), drawn.gang((self.dial_hz, dial_hz)))[:, 0]
        return float(self.shift_hz * there / here)


class Covered(NamedTuple):
    """A reading, and whether the cover was on; None where nobody said."""

    reading: Reading
    on: bool | None


def shift_of(readings: Sequence[Covered]) -> CoverShift | None:
    """Return what the cover does by the readings at one mark, off and on in turn, nothing turned between; None where none are so."""
    pairs: dict[float, list[float]] = {}
    for before, after in pairwise(readings):
        a, b = before.reading, after.reading
        if before.on is None or after.on is None or before.on == after.on or a.dial_hz != b.dial_hz or a.turned != b.turned:
            continue
        pairs.setdefault(a.dial_hz, []).append((b.receives_hz - a.receives_hz) * (1.0 if after.on else -1.0))
    if not pairs:
        return None
    dial_hz, shifts = max(pairs.items(), key=lambda p: len(p[1]))
    return CoverShift(dial_hz, statistics.fmean(shifts), max(shifts) - min(shifts), len(shifts))


def as_closed(drawn: Drawn, readings: Sequence[Covered], shift: CoverShift | None) -> tuple[Reading, ...]:
    """Return readings as they would be with the cover on."""
    if shift is None:
        return tuple(r for r, _ in readings)
    return tuple(r._replace(receives_hz=r.receives_hz + shift.at_hz(drawn, r.dial_hz)) if on is False else r for r, on in readings)


def as_opened(drawn: Drawn, moves: Sequence[Move], shift: CoverShift | None) -> list[Move]:
    """Return moves as they are made with the cover off, so that they are right once it is on."""
    if shift is None:
        return list(moves)
    out = []
    for move in moves:
        by_hz = shift.at_hz(drawn, move.dial_hz)
        out.append(move._replace(receives_hz=move.receives_hz - by_hz, oscillator_hz=move.oscillator_hz - by_hz))
    return out
