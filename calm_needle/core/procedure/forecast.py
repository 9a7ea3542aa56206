"""What another round would gain, from what the cores were off when they were peaked.

Two cores of a coupled pair pull on each other (core.physics.coupling): while the partner is off by a2 the crest of the first lies at
a1 = κ² a2 / (1 + a2²), and with it the second is then peaked. What the second gained tells how far off it was, and so where the first
was left. Two turns off is a few hundredths of a turn: one round is nearly always enough.
"""

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from calm_needle.core.constants import K95
from calm_needle.core.physics.coupling import crest_of_one

FARTHEST = 60.0  # half bandwidths off; farther no core is heard


class Pair(NamedTuple):
    """Two adjusters of one coupled pair, by their ids, in the order in which they are peaked; their coupling κ; what it is called."""

    first: str
    second: str
    kappa: float
    name: str


class FlatTop(NamedTuple):
    """A pair whose two cores can stand to one side together, and hardly lose: how far (half bandwidths, 95 %)."""

    name: str
    off_u95: float


def centre_u95(*, gain_db: float, wander_db: float, kappa: float) -> float:
    """Return how far a pair may stand to one side (half bandwidths, 95 %), whose second core gained so much when it was peaked, known to
    the needle's wander (dB, standard deviation).

    Up to κ = 1 by the curvature of its top: what a gain of so much more would have meant. Beyond, there are two crests, each at
    sqrt(κ² - 1), and the cores settle on one of them.
    """
    beyond = math.sqrt(max(0.0, kappa * kappa - 1.0))
    unseen = left_after(gain_db=max(0.0, gain_db) + K95 * wander_db, kappa=min(kappa, 1.0)).off
    return max(unseen, beyond)


def flat_tops(gains: Mapping[str, tuple[float, float]], pairs: Sequence[Pair]) -> list[FlatTop]:
    """Return how surely each pair of a round is centred. gains: of each adjuster, and the needle's wander meanwhile (dB), by id."""
    return [
        FlatTop(p.name, centre_u95(gain_db=gains[p.second][0], wander_db=gains[p.second][1], kappa=p.kappa))
        for p in pairs
        if p.first in gains and p.second in gains
    ]


class Forecast(NamedTuple):
    """What is left to gain in all (dB), and pair by pair; how far off the first core of each pair was left (half bandwidths)."""

    left_db: float
    by_pair: Mapping[str, float]
    off: Mapping[str, float]


def loss_db(*, a1: float, a2: float, kappa: float) -> float:
    """Return how far a pair is below its best (dB) with its circuits off by a1 and a2 (normalised detunings)."""
    k = 1.0 + kappa * kappa
    return 10.0 * math.log10(((k - a1 * a2) ** 2 + (a1 + a2) ** 2) / (k * k))


class Left(NamedTuple):
    """What a pair has left to gain (dB), and how far off its first core was left (half bandwidths)."""

    gain_db: float
    off: float


def left_after(*, gain_db: float, kappa: float) -> Left:
    """Return what a pair has left, whose second core gained so much after its first was peaked.

    κ up to 1, where a pair has one crest; above it the cores settle on one side of two humps, which only a sweep shows.
    """
    low, high = 0.0, FARTHEST
    for _ in range(50):
        middle = (low + high) / 2.0
        low, high = (middle, high) if _second(a2=middle, kappa=kappa)[0] < gain_db else (low, middle)
    return Left(max(0.0, _second(a2=low, kappa=kappa)[1]), crest_of_one(a_partner=low, kappa=kappa))


def _second(*, a2: float, kappa: float) -> tuple[float, float]:
    """What the second core gains when it is peaked from a2 (dB), and what is left then."""
    a1 = crest_of_one(a_partner=a2, kappa=kappa)
    left = loss_db(a1=a1, a2=crest_of_one(a_partner=a1, kappa=kappa), kappa=kappa)
    return loss_db(a1=a1, a2=a2, kappa=kappa) - left, left


def forecast(gains: Mapping[str, float], pairs: Sequence[Pair]) -> Forecast | None:
    """Return what is left after a round in which each adjuster gained so much (dB, by id), or None where no pair was peaked in it."""
    left = {p.name: left_after(gain_db=max(0.0, gains[p.second]), kappa=p.kappa) for p in pairs if p.first in gains and p.second in gains}
    if not left:
        return None
    return Forecast(sum(p.gain_db for p in left.values()), {n: p.gain_db for n, p in left.items()}, {n: p.off for n, p in left.items()})
