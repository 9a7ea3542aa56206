"""An oscilloscope that gives its trace as SCPI-1999's TRACe subsystem does."""

import struct
from typing import NamedTuple

from calm_needle.bench.instrument import Instrument
from calm_needle.errors import InstrumentNonsense

MOST_POINTS = 4000


class Trace(NamedTuple):
    """What a channel saw: N volts, evenly spaced over `time_s` seconds, and the whole height that it can show (V)."""

    volts: tuple[float, ...]
    time_s: float
    range_v: float


class Oscilloscope(Instrument):
    name = "oscilloscope"

    def set_time(self, time_s: float) -> None:
        """Control the whole width (s)."""
        self._set(f"SWE:TIME {time_s:.6E}")

    def set_range(self, range_v: float) -> None:
        """Control the whole height of the first channel (V, peak to peak)."""
        self._set(f"VOLT:RANG:PTP {range_v:.6E}")

    def peak_to_peak(self) -> float:
        """Measure volts peak to peak on the first channel (V)."""
        return self._number("MEAS:VOLT:PTP?", "V")

    def trace(self) -> Trace:
        """Get the trace of the first channel, as a block of 32-bit reals."""
        self._set("FORM REAL,32")
        question = "TRAC? CHANNEL1"
        data = self._transport.query_block(question)
        if not data or len(data) % 4 or len(data) > 4 * MOST_POINTS:
            raise InstrumentNonsense(self.name, question, f"a block of {len(data)} bytes")
        volts = struct.unpack(f">{len(data) // 4}f", data)
        return Trace(volts, self._number("SWE:TIME?"), self._number("VOLT:RANG:PTP?", "V"))
