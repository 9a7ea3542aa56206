"""The practice receiver's loudspeaker: the sound itself of what its meters read, for ears.

The tone with the harmonics that a valve adds; hum at twice the mains, as the smoothing leaves it, and more of it the less its capacitors
have (what a filter of resistance and capacitance lets through goes as one over its capacitance); hiss, white through the audio stage's
own width; the whistle of every other carrier that reaches the detector; and whatever changes the level by itself: a contact that crackles,
a gain that drifts, a hum that beats. The level is looked at a hundred times a second, and goes in a straight line from one look to the
next. Tone and hiss have the r.m.s. values that the meter is given; hum, whistles and harmonics, which the meter does not tell apart, come
on top of them.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from calm_needle.core.lazy import Lazy
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.stages.audio import HIGHEST_HZ

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

READER = "loudspeaker"
LOOK_S = 0.01
LONGEST_GAP_S = 1.0  # after which nobody was listening
HARMONICS = {2: 0.012, 3: 0.005}  # of the tone, as a valve in class A gives them
HUM_HZ, HUM_V = 100.0, 1e-4  # at twice the mains, and of a set whose smoothing is as drawn
SMOOTHS_F, LEAST_F = 2e-6, 1e-7  # what smooths is larger; what is left of one that is open
BATTERY = "battery"
TAPS = 65
ROOT2 = math.sqrt(2.0)


class Loudspeaker:
    """Its sound, block after block; it goes on where the last block ended."""

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        self._receiver = receiver
        self._noise = np.random.default_rng(seed)
        self._phases: dict[int, float] = {}  # by line: 0 is the tone, whistles are numbered from 1
        self._last: list[tuple[float, float]] = []  # of each line, Hz and volts at the end of the last block
        self._last_hiss = 0.0
        self._tail: Floats | None = None  # white noise that the next block's filter still needs
        self._at_s = -math.inf

    def sound(self, *, samples: int, rate_hz: float) -> Floats:
        """Return so many samples (volts at the loudspeaker winding) at so many a second."""
        receiver, now_s = self._receiver, self._receiver.clock()
        gone_s = now_s - self._at_s
        if not 0.0 <= gone_s < LONGEST_GAP_S:
            gone_s, self._last = samples / rate_hz, []
        self._at_s = now_s
        looks = max(1, round(samples / rate_hz / LOOK_S))
        gains, slow = zip(*(receiver.wavering(READER, gone_s / looks) for _ in range(looks)), strict=True)
        wavers = np.interp(np.arange(1, samples + 1), np.linspace(0.0, samples, looks + 1)[1:], 1.0 + np.array(slow))
        contact = np.interp(np.arange(1, samples + 1), np.linspace(0.0, samples, looks + 1)[1:], np.array(gains))
        heard, whistles = receiver.sounds()
        lines = [(heard.tone_hz, heard.tone_v), (HUM_HZ, self.hum_v()), *whistles]
        before = self._last if len(self._last) == len(lines) else lines
        out = np.zeros(samples)
        for number, (old, new) in enumerate(zip(before, lines, strict=True)):
            out += self._line(number, old, new, samples, rate_hz, overtones=HARMONICS if number == 0 else {})
        hiss = np.linspace(self._last_hiss if self._last else heard.noise_v, heard.noise_v, samples)
        self._last, self._last_hiss = lines, heard.noise_v
        return np.asarray((out * contact + hiss * self._white(samples, rate_hz)) * np.maximum(0.0, wavers), dtype=np.float64)

    def hum_v(self) -> float:
        """Return the hum at the loudspeaker winding (V r.m.s.): none from a battery, nor of a set that is off."""
        receiver = self._receiver
        if receiver.model.safety_class == BATTERY:
            return 0.0
        supplies = {s.id for s in receiver.model.stages if s.kind == "power"}
        times = 1.0
        for part in receiver.model.raw.get("parts", ()):
            if part["kind"] == "capacitor" and part["nominal"] >= SMOOTHS_F and part.get("stage") in supplies:
                there = receiver.parts[part["id"]]
                times *= float(part["nominal"]) / (LEAST_F if there.open else max(there.value, LEAST_F))
        return HUM_V * times * receiver.now().alive.get("", 1.0)

    def _line(
        self,
        number: int,
        old: tuple[float, float],
        new: tuple[float, float],
        samples: int,
        rate_hz: float,
        *,
        overtones: dict[int, float],
    ) -> Floats:
        """A tone that goes from one pitch and strength (Hz, V r.m.s.) to another; what the rate cannot hold is left out."""
        f_hz = np.linspace(old[0], new[0], samples + 1)[1:]
        phase = self._phases.get(number, 0.0) + np.cumsum(2.0 * math.pi * f_hz / rate_hz)
        self._phases[number] = float(phase[-1] % (2.0 * math.pi))
        highest = max(old[0], new[0])
        out = np.zeros(samples)
        for order, share in ({1: 1.0} | overtones).items():
            if order * highest < rate_hz / 2.0:
                out += share * np.sin(order * phase)
        return np.asarray(out * ROOT2 * np.linspace(old[1], new[1], samples + 1)[1:], dtype=np.float64)

    def _white(self, samples: int, rate_hz: float) -> Floats:
        """Hiss of r.m.s. 1, up to where the audio stage ends."""
        highest = min(HIGHEST_HZ, 0.45 * rate_hz)
        n = np.arange(TAPS) - (TAPS - 1) / 2.0
        taps = np.sinc(2.0 * highest / rate_hz * n) * np.hamming(TAPS)
        taps = taps / math.sqrt(float(taps @ taps))
        tail = self._noise.standard_normal(TAPS - 1) if self._tail is None else self._tail
        white = np.concatenate([tail, self._noise.standard_normal(samples)])
        self._tail = white[-(TAPS - 1) :]
        return np.convolve(white, taps, mode="valid")
