"""A multimeter that answers MEAS:VOLT:DC?, MEAS:RES? and MEAS:CURR:AC?."""

import math

from calm_needle.bench.instrument import Instrument

OVERLOAD = 9.0e37  # SCPI-1999 vol. 1, 7.2.1.4: at and above it a reading is "over the range"


class Multimeter(Instrument):
    name = "multimeter"

    def volts(self) -> float:
        """Measure direct volts (V)."""
        return self._number("MEAS:VOLT:DC?")

    def amperes(self) -> float:
        """Measure alternating amperes r.m.s. (A)."""
        return self._number("MEAS:CURR:AC?")

    def ohms(self) -> float:
        """Measure ohms (Ω); infinite for an open circuit."""
        value = self._number_or_over("MEAS:RES?")
        self._look_for_errors("MEAS:RES?")
        return math.inf if value >= OVERLOAD else value
