"""The frequency counter: reciprocal, seven digits in a tenth of a second, a few tenths of a part per million out, 1 MΩ and 30 pF.

It counts the strongest wave at its probe, if that lifts its trigger; noise beside it makes the last digits jump. Where nothing lifts
the trigger it counts nothing: 0.
"""

import math
import random

from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.stand_in import Number, StandIn
from calm_needle.sim.receiver.practice import PracticeReceiver

PROBE_F = 30e-12
LEAST_V = 15e-3  # r.m.s. that lifts the trigger
GATE = Number(0.01, 10.0, 0.1, "S", ".3f")
RESOLVED = 1e-8  # seconds that it can tell, over the gate: so many parts
REFERENCE_OFF = 0.3e-6  # standard deviation
LOUDEST_NOISE = 0.5  # of the wave: beyond that it triggers on anything


class FrequencyCounter(StandIn):
    """Counts at the point where the practice set has its probe."""

    identity = "Tern Rock,FC-7,0215,1.0"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        self._receiver = receiver
        self._rng = random.Random(f"{seed} counter")
        self._off_by = 1.0 + self._rng.gauss(0.0, REFERENCE_OFF)
        self.commands |= {"MEASure[:SCALar]:FREQuency": self._hertz, "READ": self._hertz, "CONFigure[:SCALar]:FREQuency": lambda _: None}
        self.settle("[SENSe:]FREQuency:APERture", "gate_s", GATE)
        self.reset()

    def reset(self) -> None:
        self.gate_s = GATE.default

    def _hertz(self, _: Command) -> str:
        return f"{self.hertz():.9E}"

    def hertz(self) -> float:
        """Return what it counts now (Hz)."""
        seen = self._receiver.look("counter", farads=PROBE_F)
        strongest = max(seen.waves, key=lambda w: w.v, default=None)
        if strongest is None or strongest.v < LEAST_V or seen.noise_v > LOUDEST_NOISE * strongest.v or strongest.f_hz < 1.0 / self.gate_s:
            return 0.0
        # Each end of the gate is found as well as the slope at the trigger allows: noise over 2 pi f V, in seconds.
        unsure_s = seen.noise_v / (2.0 * math.pi * strongest.f_hz * strongest.v * math.sqrt(2.0))
        off_hz = strongest.f_hz / self.gate_s * math.hypot(RESOLVED, unsure_s) * self._rng.gauss(0.0, 1.0)
        return strongest.f_hz * self._off_by + off_hz
