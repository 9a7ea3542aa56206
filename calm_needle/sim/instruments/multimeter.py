"""The d.c. multimeter: four and a half digits, 0.1 % out, 10 MΩ at its terminals, ohms up to 200 MΩ, and alternating amperes."""

import math
import random

from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.stand_in import Refusal, StandIn
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.supply import Supply

COUNTS = 20000.0
MOST_OHM = 200e6
OVERLOAD = 9.9e37  # SCPI-1999 vol. 1, 7.2.1.4
NOT_A_NUMBER = "9.910E+37"
NO_POWER_SHARE = 0.0


class Multimeter(StandIn):
    """Reads volts, amperes and ohms where the practice set's probes are."""

    identity = "Tern Rock,MM-45,0917,1.1"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        rng = random.Random(f"{seed} multimeter")
        self._volt_scale, self._ohm_scale, self._amp_scale = (1.0 + rng.gauss(0.0, s) for s in (0.0008, 0.0015, 0.004))
        self._receiver = receiver
        self.commands |= {
            "MEASure[:SCALar]:VOLTage:DC": self._volts,
            "MEASure[:SCALar]:CURRent:AC": self._amperes,
            "MEASure[:SCALar]:RESistance": self._ohms,
        }

    def _volts(self, _: Command) -> str:
        if self._receiver.probes.through:
            return f"{rounded(self._receiver.beyond_winding_v() * self._volt_scale):.6E}"
        supply = self._supply()
        if not supply.knows(self._receiver.probes.at):
            return f"{0.0:.6E}"  # the probes are across a part, or in the air
        return f"{rounded(supply.volts(self._receiver.probes.at) * self._volt_scale):.6E}"

    def _amperes(self, _: Command) -> str:
        return f"{rounded(self._supply().input_a() * self._amp_scale):.6E}"

    def _ohms(self, _: Command) -> str:
        supply, probes = self._supply(), self._receiver.probes
        if supply.share != NO_POWER_SHARE:
            # An answer is owed all the same: not a number, and the reason in the queue.
            self._errors.append((-221, "Settings conflict: volts at the terminals, switch the set off before measuring ohms"))
            return NOT_A_NUMBER
        if probes.at not in self._receiver.parts:
            return f"{OVERLOAD:.3E}"
        ohms = supply.ohms(probes.at, lifted=probes.lifted)
        return f"{OVERLOAD:.3E}" if ohms > MOST_OHM else f"{rounded(ohms * self._ohm_scale):.6E}"

    def _supply(self) -> Supply:
        if self._receiver.supply is None:
            raise Refusal(-241, "Hardware missing: this dossier describes no supply")
        return self._receiver.supply


def rounded(value: float) -> float:
    """Return a value to the last digit of the range that holds it: 20,000 counts, ranges in steps of ten."""
    if value == 0.0:
        return 0.0
    full = 2.0 * 10.0 ** math.ceil(math.log10(abs(value) / 2.0))
    return round(value / full * COUNTS) / COUNTS * full
