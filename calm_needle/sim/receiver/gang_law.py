"""How the sections of a gang really are: beside the drawn one in value and shape, and beside that line by plates that are bent.

    C(a) = C_drawn(a) (1 + v + s u + k(a)) + c(a)        a: the shaft's place, 0 at the scale's lower end, 1 at its upper
k(a), up to half a per cent, and c(a), up to half a picofarad, are smooth and follow no formula that a solver knows: a vane that leans from
some place on, a dent, a slow wave of an axle that runs out of true. Or a section is measured: capacitance against angle, from outside.
"""

from __future__ import annotations

import bisect
import math
import random
from collections.abc import Callable, Sequence
from typing import NamedTuple

BENT_SHARE, BENT_F = 5e-3, 0.5e-12  # at most, either way
LEAST_BENT = 0.3  # of that: no gang is without
PLACES = 41
TRAVEL_DEG = 180.0

Along = Callable[[float], float]


class Bent(NamedTuple):
    """What plates add to a section along its turn: a share of it, and farads."""

    share: Along
    farads: Along

    def at(self, place: float, drawn_f: float) -> float:
        """Return what they add (F) where the drawn gang has drawn_f."""
        return drawn_f * self.share(place) + self.farads(place)


class Measured(NamedTuple):
    """A section as somebody measured it: capacitance (F) at places along the turn, rising."""

    places: tuple[float, ...]
    farads: tuple[float, ...]

    def at(self, place: float) -> float:
        """Return what it has (F), even in its logarithm between two places, and beyond the outermost as before them."""
        i = min(max(bisect.bisect_right(self.places, place) - 1, 0), len(self.places) - 2)
        share = (place - self.places[i]) / (self.places[i + 1] - self.places[i])
        low, high = math.log(self.farads[i]), math.log(self.farads[i + 1])
        return math.exp(low + (high - low) * share)


def bent(rng: random.Random) -> Bent:
    """Return how the plates of one section lean, by chance."""
    return Bent(_smooth(rng, BENT_SHARE), _smooth(rng, BENT_F))


def measured(angle_deg: Sequence[float], farads: Sequence[float]) -> Measured:
    """Return a section from its capacitance (F) at angles from 0° at the scale's lower end to 180° at its upper, two or more, rising."""
    return Measured(tuple(a / TRAVEL_DEG for a in angle_deg), tuple(farads))


def _smooth(rng: random.Random, most: float) -> Along:
    from_place, lean = rng.uniform(0.2, 0.8), rng.uniform(0.08, 0.3) * rng.choice((-1.0, 1.0))
    dent, wide, deep = rng.uniform(0.0, 1.0), rng.uniform(0.12, 0.35), rng.uniform(-1.0, 1.0)
    periods, phase, high = rng.uniform(0.5, 1.6), rng.uniform(0.0, math.tau), rng.uniform(-1.0, 1.0)

    def raw(place: float) -> float:
        leaning = math.tanh((place - from_place) / lean)
        dented = deep * math.exp(-(((place - dent) / wide) ** 2))
        return leaning + dented + high * math.sin(math.tau * periods * place + phase)

    seen = [raw(i / (PLACES - 1)) for i in range(PLACES)]
    middle, half = (max(seen) + min(seen)) / 2.0, (max(seen) - min(seen)) / 2.0
    size = most * rng.uniform(LEAST_BENT, 1.0)
    return lambda place: size * (raw(place) - middle) / half
