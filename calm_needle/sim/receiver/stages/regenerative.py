"""A tuned circuit that is fed back to itself: reaction multiplies its Q, until it oscillates by itself.

With the share beta of its own output fed back, H = (1 / (1 - beta)) / (1 + j a / (1 - beta)): gain and Q both grow by 1 / (1 - beta).
At beta = 1 it oscillates at its own frequency: then it is heard as a whistle, and amplifies no more than it did just before.
"""

import math
from collections.abc import Mapping, Sequence

from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.adjuster import Adjuster, Preset
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.one_winding import OneWinding
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany
from calm_needle.sim.receiver.transformer import winding_of

EDGE = 0.995  # nearer to oscillation nobody holds it


class Regenerative(OneWinding):
    """adjuster, c_f, q, l_min_h, l_max_h of the tank; reaction: its adjuster; beta: what is fed back at the end of its travel; own_v: how
    strongly it oscillates (V r.m.s.).
    """

    numbers = ("c_f", "q", "l_min_h", "l_max_h", "beta")
    turned = ("adjuster", "reaction")
    may_have = ("own_v",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.winding = winding_of(built.model.adjuster(data["adjuster"]), data, if_hz=built.model.if_hz, part=str(data.get("part", "")))
        self._most_beta, self._own_v = float(data["beta"]), float(data.get("own_v", 1.0))
        self._name = str(data["reaction"])
        self.reaction = Preset(built.model.adjuster(self._name).travel_turns or 1.0, 0.0)

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return {**super().adjusters, self._name: self.reaction}

    @property
    def beta(self) -> float:
        return self._most_beta * self.reaction.share

    def oscillates(self) -> bool:
        return self.beta >= 1.0

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        left = 1.0 - min(self.beta, EDGE)
        return 1.0 / abs(left + 1j * detuning(f_hz=f_hz, f0_hz=self.winding.frequency_hz(), q_factor=self.winding.q_factor))

    def waves(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        own = [Wave(self.winding.frequency_hz(), self._own_v)] if self.oscillates() else []
        return super().waves(waves, now) + own

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        ohm = self.winding.q_factor * 2.0 * math.pi * self.winding.frequency_hz() * self.winding.inductance_h()
        return KTQ_W_PER_HZ * ohm * self.transfer(f_hz, now) ** 2

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        return (*super().tuned_to(now), 1e6 * self.beta)

    def probed(self, farads: float, *, at_output: bool) -> None:
        self.winding.probe_f = farads
