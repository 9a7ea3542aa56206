"""A frequency counter that answers MEAS:FREQ?."""

from calm_needle.bench.instrument import Instrument


class Counter(Instrument):
    name = "counter"

    def hertz(self) -> float:
        """Measure the frequency (Hz)."""
        return self._number("MEAS:FREQ?", "Hz")
