"""Two coupled tuned windings: the intermediate-frequency transformer.

T = 2 kappa / ((1 + j a1)(1 + j a2) + kappa²); T = 1 is two windings of critical coupling in tune        core.physics.coupling
"""

import math
from collections.abc import Mapping, Sequence
from typing import Any

from calm_needle.core.physics.coupling import crest_of_one
from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany, Stage
from calm_needle.sim.receiver.transformer import Winding, winding_of

THROUGH_OPEN_WINDING = 1e-4  # what stray capacitance carries past it


class Pair(Stage):
    """kappa; transformer: its name, by which the adjusters and its windings' parts are found; primary, secondary: c_f, q, l_min_h, l_max_h.

    kappa is that of the windings as they are drawn: coupling k sqrt(Q1 Q2).
    """

    numbers = ("kappa",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        self.name, self.kappa = str(built.data["transformer"]), float(built.data["kappa"])
        self._parts = built.parts
        own = {a.winding: a for a in built.model.adjusters if a.transformer == self.name}
        self.primary, self.secondary = (
            winding_of(own[end], built.data.get(end), if_hz=built.model.if_hz, part=f"{self.name}-{end[0]}")
            for end in ("primary", "secondary")
        )

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return {w.adjuster_id: w.core for w in self.windings}

    @property
    def windings(self) -> Sequence[Winding]:
        return (self.primary, self.secondary)

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return abs(2.0 * self.kappa / self._shared(f_hz)) * self._whole()

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        # The resistance of the secondary at its resonance, loaded by its partner: enough for a link that lies behind gain.
        q, l_h = self.secondary.q_factor, self.secondary.inductance_h()
        ohm = q * 2.0 * math.pi * self.secondary.frequency_hz() * l_h / (1.0 + self.kappa**2)
        return KTQ_W_PER_HZ * ohm * abs((1.0 + 1j * self._a(self.primary, f_hz)) * (1.0 + self.kappa**2) / self._shared(f_hz)) ** 2

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        return (self.primary.frequency_hz(), self.secondary.frequency_hz(), 1e6 * self._whole())

    def probed(self, farads: float, *, at_output: bool) -> None:
        (self.secondary if at_output else self.primary).probe_f = farads

    def seen_within(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        """What stands at the anode: across the primary, as the secondary leaves it."""
        return [w.times(abs((1.0 + 1j * self._a(self.secondary, w.f_hz)) * 2.0 / self._shared(w.f_hz))) for w in waves]

    def ideal(self, f_hz: float, now: Now) -> float:
        return 2.0 * self.kappa / (1.0 + self.kappa**2)

    def best(self, f_hz: float, now: Now) -> float:
        """Crests in turn, closed form; beyond critical coupling the best at one frequency has both off it, on one of the two humps."""
        held = [w.core.waxed for w in self.windings]
        if self.kappa > 1.0 and not any(held):
            return 1.0
        a = [self._a(w, f_hz) if waxed else 0.0 for w, waxed in zip(self.windings, held, strict=True)]
        if held == [True, False]:
            a[1] = crest_of_one(a_partner=a[0], kappa=self.kappa)
        if held == [False, True]:
            a[0] = crest_of_one(a_partner=a[1], kappa=self.kappa)
        return abs(2.0 * self.kappa / ((1.0 + 1j * a[0]) * (1.0 + 1j * a[1]) + self.kappa**2))

    def align(self, f_hz: float) -> None:
        for winding in self.windings:
            winding.core.position_turns = winding.position_for(f_hz)

    def _shared(self, f_hz: Any) -> Any:
        one, two = self.primary, self.secondary
        f1_hz, f2_hz = one.frequency_hz(), two.frequency_hz()
        a1, a2 = one.q_factor * (f_hz / f1_hz - f1_hz / f_hz), two.q_factor * (f_hz / f2_hz - f2_hz / f_hz)
        return (1.0 + 1j * a1) * (1.0 + 1j * a2) + self.kappa**2

    @staticmethod
    def _a(winding: Winding, f_hz: Any) -> Any:
        return detuning(f_hz=f_hz, f0_hz=winding.frequency_hz(), q_factor=winding.q_factor)

    def _whole(self) -> float:
        through = 1.0
        for winding in (self.primary, self.secondary):
            if self._parts.is_open(winding.part):
                through *= THROUGH_OPEN_WINDING
        return through
