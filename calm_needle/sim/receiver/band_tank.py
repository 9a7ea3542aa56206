"""A tank that the gang tunes, on one band: coil, trimmer, padder, each as it really is and as somebody left it.

    1/C = 1/C_pad + 1/(C_gang + C_trim)        f = 1 / (2 pi sqrt(L C))        physics.md §3 of the design
What its dossier lists among the adjusters can be turned; the rest is what it is.
"""

import math
import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Adjuster as Described
from calm_needle.core.physics.dial_fit import CORE_REACH, PADDER_REACH, TRIMMER_REACH_F, TRIMMER_REACH_SHARE
from calm_needle.core.physics.resonance import resonant_frequency_hz
from calm_needle.sim.receiver.adjuster import Adjuster, Compression, Core, Rotary

ONE_TURN = 1.0
TYPICAL_TURNS = {"core": 10.0, "padder": 3.0}


class LeftOff(NamedTuple):
    """How far off the variable parts were left, at most: trimmers (F), padders (share), cores (share of that)."""

    trim_f: float
    share: float


LEFT_OFF: dict[str, LeftOff] = {
    "none": LeftOff(0.0, 0.0),
    "light": LeftOff(1e-12, 0.003),
    "moderate": LeftOff(3e-12, 0.007),
    "severe": LeftOff(8e-12, 0.03),
}
CORE_LEFT_OFF = 0.3


@dataclass
class Variable:
    """A value with something that turns it, or without: `value` is what it has now."""

    right: float
    fixed: float
    adjuster_id: str = ""
    adjuster: Any = None
    read: Callable[[Any], float] = field(default=lambda _: 0.0)

    @property
    def value(self) -> float:
        return self.fixed + (self.read(self.adjuster) if self.adjuster is not None else 0.0)

    def set_to(self, value: float) -> None:
        """Bring it to a value, by turning it where it turns."""
        if self.adjuster is None:
            self.fixed = value
        else:
            self.adjuster.set_to(value - self.fixed)


class BandTank:
    """One tank of one band. `coil` is its coil's part; probe_f: what a probe adds; bare_f: what it lacks without its cover."""

    def __init__(self, data: Mapping[str, Any], adjusters: Mapping[str, Described]) -> None:
        self.coil = str(data.get("coil", ""))
        self.inductance = _coil(data["l_h"], adjusters.get(str(data.get("core", self.coil))))
        self.trimmer = _trimmer(data["trim_f"], adjusters.get(str(data.get("trimmer", ""))))
        padder = data.get("padder_f")
        self.padder = None if padder is None else _padder(padder, adjusters.get(str(data.get("padder", ""))))
        self.padder_part = str(data.get("padder", ""))
        self.probe_f = self.bare_f = 0.0
        self._as_it_was: tuple[float | None, ...] = ()
        self._frequency_hz = 0.0

    @property
    def adjusters(self) -> dict[str, Adjuster]:
        return {v.adjuster_id: v.adjuster for v in (self.inductance, self.trimmer, self.padder) if v is not None and v.adjuster is not None}

    @property
    def l_h(self) -> float:
        return self.inductance.value

    @property
    def trim_f(self) -> float:
        return self.trimmer.value

    @property
    def padder_f(self) -> float | None:
        return None if self.padder is None else self.padder.value

    def frequency_hz(self, gang_f: float) -> float:
        """Return where it resonates with so much of the gang across it."""
        padder_f = self.padder_f
        now = (gang_f, self.inductance.value, self.trimmer.value - self.bare_f, padder_f, self.probe_f)
        if now != self._as_it_was:
            c_f = gang_f + now[2]
            total_f = c_f if padder_f is None else 1.0 / (1.0 / padder_f + 1.0 / c_f)
            self._as_it_was, self._frequency_hz = now, resonant_frequency_hz(l_h=now[1], c_f=total_f + self.probe_f)
        return self._frequency_hz

    def gang_for(self, f_hz: float) -> float:
        """Return the capacitance of the gang (F) with which it would resonate at f_hz, everything as it was drawn."""
        total_f = 1.0 / (self.inductance.right * (2.0 * math.pi * f_hz) ** 2)
        padder_f = None if self.padder is None else self.padder.right
        return (total_f if padder_f is None else 1.0 / (1.0 / total_f - 1.0 / padder_f)) - self.trimmer.right

    def as_drawn_with(self, gang_f: float, f_hz: float) -> float:
        """Return by which share its coil must be off so that it resonates at f_hz with so much of the gang, all else as drawn."""
        c_f = gang_f + self.trimmer.right
        if self.padder is not None:
            c_f = 1.0 / (1.0 / self.padder.right + 1.0 / c_f)
        return 1.0 / (c_f * self.inductance.right * (2.0 * math.pi * f_hz) ** 2) - 1.0

    def make(self, *, coil: float, padder: float) -> None:
        """Let its coil and its padder be off by a share what they are drawn as, the fixed part and what turns alike."""
        if self.inductance.adjuster is None:
            self.inductance.fixed *= 1.0 + coil
        else:
            self.inductance.adjuster.l_min_h *= 1.0 + coil
            self.inductance.adjuster.l_max_h *= 1.0 + coil
            self.inductance.set_to(self.inductance.right)
        if self.padder is None:
            return
        if self.padder.adjuster is None:
            self.padder.fixed *= 1.0 + padder
        else:
            self.padder.adjuster.least_f *= 1.0 + padder
            self.padder.adjuster.most_f *= 1.0 + padder

    def leave_off(self, rng: random.Random, off: LeftOff) -> None:
        """Let it stand as whoever turned it last left it."""
        core_off = rng.uniform(-CORE_LEFT_OFF, CORE_LEFT_OFF) * off.share
        if self.inductance.adjuster is not None:  # nobody turns a coil without a core
            self.inductance.set_to(self.inductance.right * (1.0 + core_off))
        self.trimmer.set_to(self.trimmer.right + rng.uniform(-1.0, 1.0) * off.trim_f)
        if self.padder is not None and self.padder.adjuster is not None:
            self.padder.set_to(self.padder.value * (1.0 + rng.uniform(-1.0, 1.0) * off.share))


def _coil(l_h: float, adjuster: Described | None) -> Variable:
    if adjuster is None:
        return Variable(l_h, l_h)
    travel = adjuster.travel_turns or TYPICAL_TURNS["core"]
    core = Core(l_h * (1.0 - CORE_REACH), l_h * (1.0 + CORE_REACH), travel, travel / 2.0)
    return Variable(l_h, 0.0, adjuster.id, core, Core.inductance_h)


def _trimmer(trim_f: float, adjuster: Described | None) -> Variable:
    if adjuster is None:
        return Variable(trim_f, trim_f)
    either_way = min(TRIMMER_REACH_F, TRIMMER_REACH_SHARE * trim_f)
    least, most = 0.15 * either_way, 2.15 * either_way  # what the trimmer has of it; strays and what is fitted across have the rest
    rest = trim_f - 1.15 * either_way
    turns = adjuster.travel_turns or ONE_TURN
    part: Rotary | Compression = Rotary(least, most) if turns <= ONE_TURN else Compression(turns, least_f=least, most_f=most)
    part.set_to(trim_f - rest)
    return Variable(trim_f, rest, adjuster.id, part, type(part).farads)


def _padder(padder_f: float, adjuster: Described | None) -> Variable:
    if adjuster is None:
        return Variable(padder_f, padder_f)
    turns = adjuster.travel_turns or TYPICAL_TURNS["padder"]
    part = Compression(turns, least_f=padder_f * (1.0 - PADDER_REACH), most_f=padder_f * (1.0 + PADDER_REACH))
    part.set_to(padder_f)
    return Variable(padder_f, 0.0, adjuster.id, part, Compression.farads)
