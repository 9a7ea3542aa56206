"""A trap across the aerial coil, that lets least through where it resonates; and how much of that frequency reaches the mixer at all."""

from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.signal import Now
from calm_needle.sim.receiver.stages.one_winding import OneWinding
from calm_needle.sim.receiver.stages.stage import Built, OneOrMany
from calm_needle.sim.receiver.transformer import winding_of


class Trap(OneWinding):
    """adjuster; c_f, q, l_min_h, l_max_h; depth: what is left at its null. |H| = |depth + j a| / |1 + j a|."""

    numbers = ("c_f", "q", "l_min_h", "l_max_h", "depth")
    turned = ("adjuster",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        self.depth = float(built.data["depth"])
        self.winding = winding_of(built.model.adjuster(built.data["adjuster"]), built.data, if_hz=built.model.if_hz)

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        a = detuning(f_hz=f_hz, f0_hz=self.winding.frequency_hz(), q_factor=self.winding.q_factor)
        return abs(self.depth + 1j * a) / abs(1.0 + 1j * a)
