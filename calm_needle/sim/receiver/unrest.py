"""The needle's unrest, and what makes a level seem other than it is: a beat with hum, a drift, a hand near a wire, a bad contact.

Each is drawn from its own seeded dice, in the seconds that go by between readings, so any polling sees the same set.
"""

import math
import random
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any

MEMORY_S = (0.3, 2.0)  # how long the slow part of a real needle's unrest lasts, least and most
SHARE = 0.01  # of the reading, standard deviation
QUICK_SHARE = 0.3  # of the unrest, that has no memory


class Unrest:
    """The unrest of a needle: a slow part, a share of the reading with a memory, and a quick one of standard deviation 1 without."""

    def __init__(self, rng: random.Random, *, share: float, memory_s: float) -> None:
        self._rng, self.share, self._memory_s = rng, share, memory_s
        self._slow = rng.gauss(0.0, 1.0)

    @classmethod
    def of_a_set(cls, seed: int, noise: Mapping[str, Any]) -> "Unrest":
        """The unrest that a dossier gives, or that of real meters: its memory as often short as long."""
        rng = random.Random(f"{seed} unrest")
        least, most = MEMORY_S
        memory_s = float(noise.get("memory_s", least * (most / least) ** rng.random()))
        return cls(rng, share=float(noise.get("flutter", SHARE)), memory_s=memory_s)

    def slow(self, dt_s: float) -> float:
        keep = math.exp(-max(dt_s, 0.0) / self._memory_s)
        self._slow = keep * self._slow + math.sqrt(1.0 - keep * keep) * self._rng.gauss(0.0, 1.0)
        return self.share * self._slow

    def quick(self) -> float:
        return self._rng.gauss(0.0, 1.0)


class Disturbance(ABC):
    """Something that changes the level by itself. `gain` is asked at each reading, dt_s after the one before."""

    def __init__(self, rng: random.Random) -> None:
        self._rng, self._t_s = rng, 0.0

    def gain(self, dt_s: float) -> float:
        """Return by what the reading is multiplied now."""
        self._t_s += max(dt_s, 0.0)
        return self._now(dt_s)

    @abstractmethod
    def _now(self, dt_s: float) -> float: ...


class HumBeat(Disturbance):
    """A harmonic of the mains' hum beside the tone: the two beat, slowly and for ever."""

    def __init__(self, rng: random.Random) -> None:
        super().__init__(rng)
        self._beat_hz, self._depth, self._phase = rng.uniform(0.15, 0.5), rng.uniform(0.08, 0.2), rng.uniform(0.0, 2.0 * math.pi)

    def _now(self, dt_s: float) -> float:
        together = 1.0 + self._depth**2 + 2.0 * self._depth * math.sin(2.0 * math.pi * self._beat_hz * self._t_s + self._phase)
        return math.sqrt(together)


class GainDrift(Disturbance):
    """A gain that goes up or down by itself, as when something warms: so many decibels in the end, with a time constant."""

    def __init__(self, rng: random.Random) -> None:
        super().__init__(rng)
        self._db, self._tau_s = rng.choice((-1.0, 1.0)) * rng.uniform(1.5, 4.0), rng.uniform(60.0, 240.0)

    def _now(self, dt_s: float) -> float:
        return float(10.0 ** (self._db * (1.0 - math.exp(-self._t_s / self._tau_s)) / 20.0))


class HandNear(Disturbance):
    """A hand that comes near a wire and goes away again: the level is another while it is there."""

    EVERY_S, STAYS_S, SETTLES_S = 9.0, 3.0, 0.3

    def __init__(self, rng: random.Random) -> None:
        super().__init__(rng)
        self._there, self._left_s, self._level, self._strength = False, rng.expovariate(1.0 / self.EVERY_S), 0.0, rng.uniform(-1.5, 1.0)

    def _now(self, dt_s: float) -> float:
        self._left_s -= max(dt_s, 0.0)
        if self._left_s <= 0.0:
            self._there = not self._there
            self._left_s = self._rng.expovariate(1.0 / (self.STAYS_S if self._there else self.EVERY_S))
        self._level += (float(self._there) - self._level) * (1.0 - math.exp(-max(dt_s, 0.0) / self.SETTLES_S))
        return float(10.0 ** (self._strength * self._level / 20.0))


class BadContact(Disturbance):
    """A contact that lets go now and then: the level falls at once, and is back at once."""

    EVERY_S, STAYS_S = 12.0, 0.6

    def __init__(self, rng: random.Random) -> None:
        super().__init__(rng)
        self._off, self._left_s, self._lost_db = False, rng.expovariate(1.0 / self.EVERY_S), rng.uniform(2.0, 12.0)

    def _now(self, dt_s: float) -> float:
        self._left_s -= max(dt_s, 0.0)
        while self._left_s <= 0.0:
            self._off = not self._off
            self._left_s += self._rng.expovariate(1.0 / (self.STAYS_S if self._off else self.EVERY_S))
        return float(10.0 ** (-self._lost_db * self._off / 20.0))


class Wavering:
    """What a level does by itself, for all who read it at once: the needle and the loudspeaker hear the same contact let go.

    Each reader tells how long it is since it last read; whoever is furthest on lets the time go by for all.
    """

    def __init__(self, unrest: Unrest, disturbed: Sequence[Disturbance]) -> None:
        self.unrest, self._disturbed = unrest, disturbed
        self._behind_s: dict[str, float] = {}

    def go(self, reader: str, dt_s: float) -> tuple[float, float]:
        """Return by what the tone is multiplied now, and the slow part of the unrest, a share of everything."""
        ahead_s = dt_s - self._behind_s.get(reader, 0.0)
        self._behind_s = {name: behind + max(ahead_s, 0.0) for name, behind in self._behind_s.items()} | {reader: max(-ahead_s, 0.0)}
        gain = 1.0
        for disturbance in self._disturbed:
            gain *= disturbance.gain(ahead_s)
        return gain, self.unrest.slow(ahead_s)


# Faults that any set can have, whatever its dossier says, by their ids: what they are called, what they do.
DISTURBANCES: dict[str, tuple[str, type[Disturbance]]] = {
    "hum-beat": ("hum beats with the tone", HumBeat),
    "gain-drifts": ("the gain drifts as the set warms", GainDrift),
    "hand-near-wire": ("a hand comes near a wire", HandNear),
    "bad-contact": ("a contact lets go now and then", BadContact),
}
