"""An LCR meter that answers MEAS:CAP? and MEAS:IND?."""

import math

from calm_needle.bench.instrument import Instrument
from calm_needle.bench.multimeter import OVERLOAD


class LcrMeter(Instrument):
    name = "LCR meter"

    def farads(self) -> float:
        """Measure capacitance (F)."""
        return self._number("MEAS:CAP?")

    def henries(self) -> float:
        """Measure inductance (H); infinite where there is no coil, or an open one."""
        value = self._number_or_over("MEAS:IND?")
        return math.inf if value >= OVERLOAD else value
