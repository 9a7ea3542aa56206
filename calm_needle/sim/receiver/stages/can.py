"""A single tuned winding at a fixed frequency, as in the cans of transistor sets: 1 / (1 + j a), with a tap or a coupling winding."""

import math

from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.signal import Now
from calm_needle.sim.receiver.stages.one_winding import OneWinding
from calm_needle.sim.receiver.stages.pair import THROUGH_OPEN_WINDING
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany
from calm_needle.sim.receiver.transformer import winding_of


class Can(OneWinding):
    """adjuster; c_f, q, l_min_h, l_max_h; part: its winding; ratio: volts at its output for one across the winding."""

    numbers = ("c_f", "q", "l_min_h", "l_max_h")
    turned = ("adjuster",)
    may_have = ("ratio",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self._parts, self.ratio = built.parts, float(data.get("ratio", 1.0))
        self.winding = winding_of(built.model.adjuster(data["adjuster"]), data, if_hz=built.model.if_hz, part=str(data.get("part", "")))

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return self.ratio * self._whole() / abs(1.0 + 1j * self._a(f_hz))

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        ohm = self.winding.q_factor * 2.0 * math.pi * self.winding.frequency_hz() * self.winding.inductance_h()
        return KTQ_W_PER_HZ * ohm * (self.ratio / abs(1.0 + 1j * self._a(f_hz))) ** 2

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        return (self.winding.frequency_hz(), 1e6 * self._whole())

    def probed(self, farads: float, *, at_output: bool) -> None:
        self.winding.probe_f = farads * (self.ratio**2 if at_output else 1.0)  # through the tap it weighs less

    def ideal(self, f_hz: float, now: Now) -> float:
        return self.ratio

    def best(self, f_hz: float, now: Now) -> float:
        """Its core where it peaks, within its travel; a waxed one where it is."""
        if self.winding.core.waxed:
            return float(self.transfer(f_hz, now)) / self._whole()
        here = self.winding.core.position_turns
        self.winding.core.position_turns = self.winding.position_for(f_hz)
        best = float(self.transfer(f_hz, now)) / self._whole()
        self.winding.core.position_turns = here
        return best

    def _a(self, f_hz: OneOrMany) -> OneOrMany:
        return detuning(f_hz=f_hz, f0_hz=self.winding.frequency_hz(), q_factor=self.winding.q_factor)

    def _whole(self) -> float:
        return THROUGH_OPEN_WINDING if self._parts.is_open(self.winding.part) else 1.0
