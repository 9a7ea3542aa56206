"""The true-r.m.s. audio millivoltmeter: averages over a tenth of a second, four and a half digits, 0.3 % out."""

import math
import random
from collections.abc import Callable

from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.stand_in import StandIn
from calm_needle.sim.receiver.practice import PracticeReceiver

AVERAGING_S = 0.1
FLOOR_V = 30e-6  # its own noise
LEAST_S = 1e-3
RANGES_V = (0.003, 0.03, 0.3, 3.0, 30.0)


class Millivoltmeter(StandIn):
    """Reads the loudspeaker winding of the practice receiver. `clock` gives seconds; it is asked at each reading."""

    identity = "Tern Rock,AV-4,0663,1.4"

    def __init__(self, receiver: PracticeReceiver, *, seed: int, clock: Callable[[], float]) -> None:
        super().__init__()
        self._receiver, self._clock = receiver, clock
        self._scale = 1.0 + random.Random(f"{seed} meter").gauss(0.0, 0.003)
        self._mean_v: float | None = None
        self._last_s = clock()
        self.commands |= {
            "MEASure[:SCALar]:VOLTage:AC": self._measure,
            "READ": self._measure,
            "CONFigure[:SCALar]:VOLTage:AC": lambda _: None,
        }

    def reset(self) -> None:
        self._mean_v = None

    def _measure(self, command: Command) -> str:
        return f"{self.volts():.6E}"

    def catch_up(self) -> None:
        """Take in how things stood until now, before they change."""
        if self._mean_v is not None and self._clock() - self._last_s > LEAST_S:
            self.volts()

    def volts(self) -> float:
        """Return what it shows now (V), to its last digit."""
        now = self._clock()
        dt = max(0.0, now - self._last_s)
        self._last_s = now
        volts = math.hypot(self._receiver.reading(dt_s=dt), FLOOR_V) * self._scale
        # What stood there since it last looked is what stands there now: whoever changes something has it catch up first.
        share = 1.0 if self._mean_v is None else 1.0 - math.exp(-dt / AVERAGING_S)
        self._mean_v = volts if self._mean_v is None else self._mean_v + share * (volts - self._mean_v)
        return _digits(self._mean_v)


def _digits(volts: float) -> float:
    """Round to the last digit of the range that holds the value: 20,000 counts."""
    full = next((r for r in RANGES_V if volts <= r), RANGES_V[-1])
    count = full / 20000.0
    return round(volts / count) * count
