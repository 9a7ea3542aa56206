"""A signal generator that speaks SCPI-1999's SOURce subsystem."""

from typing import NamedTuple

from calm_needle.bench.instrument import Instrument

USUAL_TONE_HZ = 400.0


class GeneratorState(NamedTuple):
    """What the generator says it is set to: Hz, volts, depth 0..1 (0 when modulation is off), whether the output is on."""

    frequency_hz: float
    level_v: float
    depth: float
    output_on: bool


class Generator(Instrument):
    name = "generator"

    def set_frequency(self, frequency_hz: float) -> None:
        """Control the carrier frequency (Hz)."""
        self._set(f"FREQ {frequency_hz:.3f}")

    def set_level(self, level_v: float) -> None:
        """Control the level (V r.m.s., as the generator is scaled)."""
        self._set(f"VOLT {level_v:.6E}")

    def set_amplitude_modulation(self, *, depth: float, tone_hz: float) -> None:
        """Control amplitude modulation: depth 0..1 (0 switches it off) and tone (Hz)."""
        if depth <= 0:
            self._set("AM:STAT OFF")
            return
        self._set(f"AM:DEPT {100.0 * depth:.1f}")
        self._set(f"AM:INT:FREQ {tone_hz:.1f}")
        self._set("AM:STAT ON")

    def set_modulation(self, modulation: tuple[str, float, float, float]) -> None:
        """Control the modulation: kind (AM, FM, none), depth 0..1, deviation (Hz), tone (Hz)."""
        kind, depth, deviation_hz, tone_hz = modulation
        if kind == "FM" and deviation_hz > 0:
            self._set(f"FM:DEV {deviation_hz:.1f}")
            self._set(f"FM:INT:FREQ {tone_hz or USUAL_TONE_HZ:.1f}")
            self._set("FM:STAT ON")
            return
        self.set_amplitude_modulation(depth=depth if kind == "AM" else 0.0, tone_hz=tone_hz or USUAL_TONE_HZ)

    def set_output(self, on: bool) -> None:
        """Control the output."""
        self._set(f"OUTP {'ON' if on else 'OFF'}")

    def state(self) -> GeneratorState:
        """Get what it is set to, as it says itself."""
        depth = self._number("AM:DEPT?") / 100.0 if self._number("AM:STAT?") else 0.0
        return GeneratorState(self._number("FREQ?"), self._number("VOLT?"), depth, bool(self._number("OUTP?")))
