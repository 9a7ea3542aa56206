"""The LCR meter: capacitance and inductance across a part with one end lifted; 0.3 % out, and a pair of picofarads in its leads."""

import random

from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.multimeter import OVERLOAD, rounded
from calm_needle.sim.instruments.stand_in import StandIn
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.transformer import STRAY_F

LEADS_F = 1.6e-12
LEADS_H = 0.4e-6


class LcrMeter(StandIn):
    """Reads the part that the practice set's probes are across."""

    identity = "Tern Rock,LC-3,0442,1.0"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        self._scale = 1.0 + random.Random(f"{seed} lcr").gauss(0.0, 0.003)
        self._receiver = receiver
        self.commands |= {
            "MEASure[:SCALar]:CAPacitance": self._farads,
            "MEASure[:SCALar]:INDuctance": self._henries,
        }

    def _farads(self, _: Command) -> str:
        part, kind = self._part()
        true = self._receiver.parts[part].value if kind == "capacitor" else 0.0
        if kind == "winding":
            # The tuning capacitor, one end of it lifted: what the winding itself and the valve add is not read.
            tuned = self._receiver.tuned(part)
            true = float(self._receiver.parts.data(part).get("c_f", 0.0)) or max(0.0, tuned.c_f - STRAY_F if tuned else 0.0)
        return f"{rounded((true + LEADS_F) * self._scale):.6E}"

    def _henries(self, _: Command) -> str:
        part, kind = self._part()
        if kind != "winding" or self._receiver.parts[part].open:
            return f"{OVERLOAD:.3E}"
        true = self._receiver.inductance_h(part)
        if true is None:  # a transformer with an iron core, beyond the meter's range
            return f"{OVERLOAD:.3E}"
        return f"{rounded((true + LEADS_H) * self._scale):.6E}"

    def _part(self) -> tuple[str, str]:
        at = self._receiver.probes.at
        return (at, str(self._receiver.parts.data(at)["kind"])) if at in self._receiver.parts else (at, "")
