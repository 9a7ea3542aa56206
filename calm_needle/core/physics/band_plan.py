"""The frequencies of a band side by side, dial, oscillator, image and half-IF, and how bands meet."""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from calm_needle.core.physics.superhet import Side, frequency_plan


class Lane(NamedTuple):
    """One kind of frequency over a band: from its lower end to its upper (Hz)."""

    name: str
    low_hz: float
    high_hz: float


class Meeting(NamedTuple):
    """How one band goes on where another ends (Hz): overlap positive, a gap negative."""

    lower: str
    upper: str
    overlap_hz: float


def lanes(*, low_hz: float, high_hz: float, if_hz: float, side: Side) -> list[Lane]:
    """Return dial, oscillator, half-IF response and image over a band, and the IF; nothing that would lie below zero."""
    low, high = (frequency_plan(dial_hz=f, if_hz=if_hz, side=side) for f in (low_hz, high_hz))
    out = [
        Lane("dial", low_hz, high_hz),
        Lane("oscillator", low.lo_hz, high.lo_hz),
        Lane("half-IF", low.half_if_hz, high.half_if_hz),
        Lane("image", low.image_hz, high.image_hz),
        Lane("IF", if_hz, if_hz),
    ]
    return [lane for lane in out if lane.low_hz > 0.0]


def meetings(bands: Sequence[tuple[str, float, float]]) -> list[Meeting]:
    """Return how bands (name, lower and upper end in Hz) meet, from the lowest on."""
    ordered = sorted(bands, key=lambda b: b[1])
    return [Meeting(a[0], b[0], a[2] - b[1]) for a, b in pairwise(ordered)]
