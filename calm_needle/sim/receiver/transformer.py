"""A tuned winding with its core: of an intermediate-frequency transformer, a can, a trap."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from calm_needle.core.dossier.model import Adjuster
from calm_needle.core.physics.resonance import inductance_h, resonant_frequency_hz
from calm_needle.sim.receiver.adjuster import Core, fraction_for

STRAY_F = 9e-12  # of valve, leads and the winding itself, where the capacitor is open
# What a dossier that does not describe its windings is given: typical of valve sets of the class.
TYPICAL: dict[str, float] = {"c_f": 120e-12, "q": 80.0}
TYPICAL_SPREAD = 0.12  # of the inductance, each way from the middle of the travel
TYPICAL_TRAVEL_TURNS = 12.0
CAN_F = 1.2e-12  # that a screening can adds to what it covers
BLADE_TIMES = 1.03  # what a steel blade does to the inductance of the core that it stands in


@dataclass
class Winding:
    """One tuned winding with its core. `part` is the dossier's, where it lists it; probe_f: what a probe hangs across it.

    uncovered: its can is off, and what that added is missing; blade: a steel blade stands in its core.
    """

    adjuster_id: str
    c_f: float
    q_factor: float
    core: Core
    part: str = ""
    wound: float = 1.0  # inductance as wound anew, times the maker's
    drawn_f: float = 0.0
    probe_f: float = 0.0
    uncovered: bool = False
    blade: bool = False
    _as_it_was: tuple[float, float, float] = field(default=(-1.0, 0.0, 0.0), repr=False)
    _frequency_hz: float = field(default=0.0, repr=False)

    def __post_init__(self) -> None:
        self.drawn_f = self.c_f

    def inductance_h(self) -> float:
        return self.wound * self.core.inductance_h() * (BLADE_TIMES if self.blade else 1.0)

    def frequency_hz(self) -> float:
        c_f = self.c_f + self.probe_f - (CAN_F if self.uncovered else 0.0)
        now = (self.core.position_turns, c_f, self.wound * (BLADE_TIMES if self.blade else 1.0))
        if now != self._as_it_was:  # asked for several times at every reading, and changed at few of them
            self._as_it_was, self._frequency_hz = now, resonant_frequency_hz(l_h=self.inductance_h(), c_f=now[1])
        return self._frequency_hz

    def position_for(self, f_hz: float) -> float:
        """Return the position (turns) at which the winding resonates at f_hz, or the stop nearest to it."""
        wanted = inductance_h(f_hz=f_hz, c_f=self.c_f) / self.wound
        return self.core.travel_turns * fraction_for(wanted, l_min_h=self.core.l_min_h, l_max_h=self.core.l_max_h)


def typical_winding(if_hz: float) -> dict[str, float]:
    """Return what a winding tuned to an intermediate frequency (Hz) usually has."""
    middle = 1.0 / ((2.0 * math.pi * if_hz) ** 2 * TYPICAL["c_f"])
    return {**TYPICAL, "l_min_h": middle * (1.0 - TYPICAL_SPREAD), "l_max_h": middle * (1.0 + TYPICAL_SPREAD)}


def winding_of(adjuster: Adjuster, data: Mapping[str, Any] | None, *, if_hz: float, part: str = "") -> Winding:
    """Return the winding that an adjuster turns, its core in the middle of its travel; a typical one where the dossier has no data."""
    data = data or typical_winding(if_hz)
    travel = adjuster.travel_turns or TYPICAL_TRAVEL_TURNS
    return Winding(adjuster.id, data["c_f"], data["q"], Core(data["l_min_h"], data["l_max_h"], travel, travel / 2.0), part)
