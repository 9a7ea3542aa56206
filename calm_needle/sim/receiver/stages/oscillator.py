"""The oscillator: on every band a tank that the gang tunes, alive while its coil is whole and its valve emits."""

import math
from collections.abc import Mapping

from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.band_tank import BandTank
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.stage import Built, Stage

WARM_TAU_S = 500.0
DRIVE_V = 6.0  # V r.m.s. across its tank, of valves of the class


class Oscillator(Stage):
    """tank: the key of a band's tank (oscillator_tank); drive_v, at a tap of the coil that has this share (tap) of its turns; warm_ppm: how
    far above its place it begins when cold, warm_tau_s: the time constant with which it comes there as the set warms; cover_f: what a cover
    over it adds when it is on, as it is drawn. It stands beside the chain, and feeds the mixer.
    """

    may_have = ("drive_v", "tap", "warm_ppm", "warm_tau_s", "cover_f")

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        adjusters = {a.id: a for a in built.model.adjusters}
        described = {str(b["id"]): b.get(str(built.data.get("tank", "oscillator_tank")), {}) for b in built.model.raw["bands"]}
        self.tanks = {name: BandTank(tank, adjusters) for name, tank in described.items() if "l_h" in tank and "trim_f" in tank}
        self._parts, self._drive_v = built.parts, float(built.data.get("drive_v", DRIVE_V))
        self._cover_f = float(built.data.get("cover_f", 0.0))
        self._tap = float(built.data.get("tap", 1.0))
        self._warm_ppm, self._warm_tau_s = float(built.data.get("warm_ppm", 0.0)), float(built.data.get("warm_tau_s", WARM_TAU_S))

    def cover(self, *, on: bool) -> None:
        """Put the cover over it on, or take it off."""
        for tank in self.tanks.values():
            tank.bare_f = 0.0 if on else self._cover_f

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return {name: a for tank in self.tanks.values() for name, a in tank.adjusters.items()}

    def runs_at_hz(self, band: str, gang_f: float, *, emission: float, heated_s: float) -> float | None:
        """Return where it oscillates (Hz) after so many seconds of warming; None where it does not."""
        tank = self.tanks.get(band)
        if tank is None or emission <= 0.0 or self._parts.is_open(tank.coil):
            return None
        if tank.frequency_hz(gang_f) > self._parts.runs_below_hz:
            return None
        return tank.frequency_hz(gang_f) * (1.0 + self._warm_ppm * 1e-6 * math.exp(-heated_s / self._warm_tau_s))

    def own(self, now: Now) -> list[Wave]:
        """Return what stands across its tank."""
        return [] if now.oscillator_hz is None else [Wave(now.oscillator_hz, self._drive_v)]

    def radiated(self, now: Now) -> list[Wave]:
        """Return what stands across the whole of its coil."""
        return [w.times(1.0 / self._tap) for w in self.own(now)]

    def probed(self, farads: float, *, at_output: bool) -> None:
        for tank in self.tanks.values():
            tank.probe_f = farads
