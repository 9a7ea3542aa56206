"""A circuit that the gang tunes on every band: the aerial circuit, or that between a radio-frequency stage and the mixer.

    |H| = gain (1 + a²)^(-n/2), n like circuits in a row
One that an aerial feeds steps its voltage up no further than a matched one: sqrt(R_d / 2 R_s), R_d being loaded by that aerial.
"""

import math
from collections.abc import Mapping

from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.band_tank import BandTank
from calm_needle.sim.receiver.signal import Now
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany, Stage

AERIAL_OHM = 400.0  # the standard dummy aerial, over most of the broadcast bands
TYPICAL = {"gain": 5.0, "q": 70.0, "circuits": 1}
THROUGH_OPEN_COIL = 0.01  # what strays carry past it
NEAR_IF = 0.05  # as a share: where the intermediate frequency itself is meant


class BandTanks(Stage):
    """tank: the key of a band's tank; source_ohm: of the aerial that feeds it; bands: gain, q, circuits of each; fed_through: of a valve
    before it; tap: volts at its output for one across the tank, which `gain` has in it; if_leak: what it passes of the intermediate
    frequency itself, where that is not what its skirt says.
    """

    may_have = ("source_ohm", "if_leak", "tap")

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data, model = built.data, built.model
        adjusters = {a.id: a for a in model.adjusters}
        described = {str(b["id"]): b.get(str(data["tank"]), {}) for b in model.raw["bands"]}
        self.tanks = {name: BandTank(tank, adjusters) for name, tank in described.items() if "l_h" in tank and "trim_f" in tank}
        self._settings = {name: {**TYPICAL, **data.get("bands", {}).get(name, {})} for name in self.tanks}
        self._source_ohm, self._leak, self._if_hz = data.get("source_ohm"), data.get("if_leak"), model.if_hz
        self._tap = float(data.get("tap", 1.0))
        self._fed_through, self._parts = str(data.get("fed_through", "")), built.parts

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return {name: a for tank in self.tanks.values() for name, a in tank.adjusters.items()}

    def setting(self, band: str, name: str) -> float:
        """Return gain, q or circuits of a band."""
        return float(self._settings[band][name])

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        if now.band not in self.tanks:
            return f_hz * 0.0 + (self._leak or 0.0)
        through = self._gain(now) * (1.0 + self._a(f_hz, now) ** 2) ** (-self.setting(now.band, "circuits") / 2.0)
        if self._leak is None:
            return through
        near = abs(f_hz / self._if_hz - 1.0) < NEAR_IF
        return near * self._leak + (1.0 - near) * through

    def scale(self, now: Now) -> float:
        return now.lives(self._fed_through) if self._fed_through else 1.0

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        if now.band not in self.tanks:
            return f_hz * 0.0
        return KTQ_W_PER_HZ * self.ohm(now) * self._tap**2 / (1.0 + self._a(f_hz, now) ** 2)

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        if now.band not in self.tanks:
            return ()
        return (self.tanks[now.band].frequency_hz(now.section_f(self.stage_id)), 1e3 * self._gain(now))

    def probed(self, farads: float, *, at_output: bool) -> None:
        for tank in self.tanks.values():
            tank.probe_f = farads

    def ohm(self, now: Now) -> float:
        """Return its resistance at its resonance (ohm), loaded as it is: what it hisses by."""
        tank = self.tanks[now.band]
        return self.setting(now.band, "q") * 2.0 * math.pi * tank.frequency_hz(now.section_f(self.stage_id)) * tank.l_h

    def _gain(self, now: Now) -> float:
        gain = self.setting(now.band, "gain")
        if self._source_ohm is not None:
            gain = min(gain, math.sqrt(self.ohm(now) / (2.0 * self._source_ohm)))
        coil = self.tanks[now.band].coil
        return gain * (THROUGH_OPEN_COIL if self._parts.is_open(coil) else 1.0)

    def _a(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        f0_hz = self.tanks[now.band].frequency_hz(now.section_f(self.stage_id))
        return detuning(f_hz=f_hz, f0_hz=f0_hz, q_factor=self.setting(now.band, "q"))
