"""Streams of a dead core whose needle beats slowly, in step with a hand that goes through, back, and to rest, or nearly, or not at all."""

import math
import random
from typing import Any

from calm_needle.work.watching import read_stream, summary
from tests.support.needle_streams import DT, _walk, make

BEATS = ("in step", "nearly in step", "at random")


def beating(name: str, seed: int, known: str) -> dict[str, Any]:
    """Return what is said of one such stream."""
    return summary(read_stream(make(lambda rng: _beating(rng, name), f"slow sine {name}", seed, known)))


def _beating(rng: random.Random, name: str) -> tuple[list[float], list[int], list[float], list[float]]:
    speed, width, crest = rng.uniform(0.1, 0.25), rng.uniform(0.25, 0.5), rng.uniform(0.8, 1.5)
    over, rest_s = 1.6 * width, rng.choice((2.0, 4.0))
    xs, ways = _walk(
        rng,
        [((crest + over) / speed, speed), (0.4, 0.0), (2.0 * over / speed, -speed), (0.4, 0.0), (over / 0.08, 0.08), (rest_s, 0.0)],
        0.1,
    )
    first_s = 3.0 + crest / speed
    again_s = 2.0 * over / speed + 0.4  # from the first time over it to the second
    period_s, begins_s = {
        "in step": (again_s, first_s),
        "nearly in step": (again_s * rng.uniform(0.85, 1.2), first_s + rng.gauss(0.0, 0.3)),
        "at random": (rng.uniform(4.0, 25.0), rng.uniform(0.0, 25.0)),
    }[name]
    size_db = rng.uniform(0.4, 2.0)
    noise = [size_db * math.cos(2.0 * math.pi * (i * DT - begins_s) / period_s) + rng.gauss(0.0, 0.03) for i in range(len(xs))]
    return xs, ways, [0.0] * len(xs), noise
