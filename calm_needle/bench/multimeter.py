"""A multimeter that answers MEAS:VOLT:DC?, MEAS:RES? and MEAS:CURR:AC?."""

from calm_needle.bench.instrument import Instrument


class Multimeter(Instrument):
    name = "multimeter"

    def volts(self) -> float:
        """Measure direct volts (V)."""
        return self._measured("MEAS:VOLT:DC?", "V")

    def amperes(self) -> float:
        """Measure alternating amperes r.m.s. (A)."""
        return self._measured("MEAS:CURR:AC?", "A")

    def ohms(self) -> float:
        """Measure ohms (Ω); infinite for an open circuit."""
        value = self._number_or_over("MEAS:RES?", "Ω")
        self._look_for_errors("MEAS:RES?")
        return value

    def alternating_volts(self) -> float:
        """Measure alternating volts r.m.s. (V), zero or more: where it serves as the meter at the output."""
        return abs(self._number("MEAS:VOLT:AC?", "V"))
