"""An LCR meter that answers MEAS:CAP? and MEAS:IND?."""

from calm_needle.bench.instrument import Instrument


class LcrMeter(Instrument):
    name = "LCR meter"

    def farads(self) -> float:
        """Measure capacitance (F)."""
        return self._measured("MEAS:CAP?", "F")

    def henries(self) -> float:
        """Measure inductance (H); infinite where there is no coil, or an open one."""
        value = self._number_or_over("MEAS:IND?", "H")
        self._look_for_errors("MEAS:IND?")
        return value
