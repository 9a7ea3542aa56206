"""An a.c. millivoltmeter, or any meter that answers MEAS:VOLT:AC?."""

from calm_needle.bench.instrument import Instrument
from calm_needle.errors import InstrumentNonsense


class Millivoltmeter(Instrument):
    name = "a.c. millivoltmeter"

    def volts(self) -> float:
        """Measure alternating volts r.m.s. (V), zero or more."""
        value = self._number("MEAS:VOLT:AC?", "V")
        if value < 0:
            raise InstrumentNonsense(self.name, "MEAS:VOLT:AC?", f"{value:g}")
        return value
