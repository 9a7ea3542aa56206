"""The mixer: sums and differences with the oscillator and its harmonics, and what leaks through as it is.

At the intermediate frequency f_IF it gives a signal at f_o - f_IF and its image at f_o + f_IF alike; at n f_o ± f_IF as the oscillator's
harmonics allow; and, by its curvature, at f_o ± f_IF / 2, as the square of what stands at its grid.
"""

from collections.abc import Sequence

from calm_needle.sim.receiver.signal import Now, Wave, Window
from calm_needle.sim.receiver.stages.amplifier import drawn_back
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany, Stage

CONVERSION = 0.5  # of its gain as an amplifier
HARMONICS = {2: 0.12, 3: 0.05}  # of the oscillator, times the conversion
SQUARE_PER_V = 1.5  # second order, volts per volt squared at the grid, times the conversion
NOTICED = 0.25  # as a share about the intermediate frequency: what lies further away the strip does not pass


class Mixer(Stage):
    """gain, as an amplifier; conversion, a share of that; noise_ohm; controlled; fed_through; square_per_v; harmonics by their numbers."""

    numbers = ("gain", "noise_ohm")
    may_have = ("conversion", "controlled", "square_per_v")

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.gain, self.conversion = float(data["gain"]), float(data.get("conversion", CONVERSION))
        self.noise_ohm, self._controlled = float(data["noise_ohm"]), float(data.get("controlled", 0.0))
        self.fed_through, self._square = str(data.get("fed_through", "")), float(data.get("square_per_v", SQUARE_PER_V))
        self._harmonics = {int(n): float(share) for n, share in data.get("harmonics", HARMONICS).items()}
        self._if_hz = built.model.if_hz

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return self.gain

    def scale(self, now: Now) -> float:
        return now.lives(self.fed_through) * drawn_back(self._controlled, now)

    def waves(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        gain = self.gain * self.scale(now)
        out: list[Wave] = []
        for w in waves:
            if self._noticed(w.f_hz):
                out.append(w.times(gain))
            if now.oscillator_hz is None:
                continue
            for n, share in ((1, 1.0), *self._harmonics.items()):
                f_hz = abs(n * now.oscillator_hz - w.f_hz)
                if self._noticed(f_hz):
                    out.append(w.times(gain * self.conversion * share)._replace(f_hz=f_hz))
            f_hz = 2.0 * abs(now.oscillator_hz - w.f_hz)
            if self._noticed(f_hz):
                v = gain * self.conversion * self._square * w.v * w.v
                out.append(w._replace(f_hz=f_hz, v=v, am_depth=min(1.0, 2.0 * w.am_depth)))
        return out

    def windows(self, windows: Sequence[Window], now: Now) -> list[Window]:
        out = [Window(w.f, w.h2 * self.gain**2) for w in windows]
        if now.oscillator_hz is not None:
            converted = (self.gain * self.conversion) ** 2
            for w in windows:
                out.append(Window(abs(now.oscillator_hz - w.f), w.h2 * converted))
                out.append(Window(now.oscillator_hz + w.f, w.h2 * converted))
        return out

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        gain = self.gain if now.oscillator_hz is None else self.gain * self.conversion
        return KTQ_W_PER_HZ * self.noise_ohm * gain**2

    def _noticed(self, f_hz: float) -> bool:
        return abs(f_hz / self._if_hz - 1.0) < NOTICED
