"""A crystal in a bridge: a pass band far narrower than coils make, whose phasing control puts a notch beside it, or balances it away.

With a_x = Q (f/f_x - f_x/f) the series arm passes 1 / (1 + j a_x), the phasing condenser c of it straight through:
    H = 1 / (1 + j a_x) + j c,        a null where a_x = -1/c, nearly; balanced at c = 0
Switched out, it passes everything.
"""

import math
from collections.abc import Mapping

from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.adjuster import Adjuster, Preset
from calm_needle.sim.receiver.signal import Now
from calm_needle.sim.receiver.stages.stage import Built, OneOrMany, Stage

SWITCH, IN = "filter", "crystal"  # the receiver's control, and what it says when the crystal is in
MOST_UNBALANCE = 0.25


class CrystalFilter(Stage):
    """f_hz, q of the crystal as it is loaded; phasing: the adjuster whose middle balances the holder's capacitance; loss: volts through
    it for one before it.
    """

    numbers = ("f_hz", "q")
    turned = ("phasing",)
    may_have = ("loss",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.f_hz, self.q_factor, self.loss = float(data["f_hz"]), float(data["q"]), float(data.get("loss", 1.0))
        travel = built.model.adjuster(data["phasing"]).travel_turns or 1.0
        self._phasing = {str(data["phasing"]): Preset(travel, travel / 2.0)}

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return self._phasing

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        if now.switches.get(SWITCH) != IN:
            return 1.0
        straight = MOST_UNBALANCE * (2.0 * next(iter(self._phasing.values())).share - 1.0)
        a = detuning(f_hz=f_hz, f0_hz=self.f_hz, q_factor=self.q_factor)
        return self.loss * abs(1.0 / (1.0 + 1j * a) + 1j * straight)

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        return (float(now.switches.get(SWITCH) == IN), 1e6 * next(iter(self._phasing.values())).share)

    def narrow_hz(self, now: Now) -> float:
        return self.f_hz / self.q_factor if now.switches.get(SWITCH) == IN else math.inf

    def ideal(self, f_hz: float, now: Now) -> float:
        return 1.0 if now.switches.get(SWITCH) != IN else self.loss
