"""Detectors: what they make of the carrier that reaches them, and of the noise about it."""

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from calm_needle.sim.receiver.adjuster import Adjuster, Preset
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.stage import Built, Stage
from calm_needle.sim.receiver.transformer import Winding, winding_of


class Audio(NamedTuple):
    """What reaches the loudspeaker winding: tone and noise, volts r.m.s., and where the tone lies (Hz)."""

    tone_v: float
    noise_v: float
    tone_hz: float = 400.0


class Detector(Stage, ABC):
    """A stage that ends the chain of waves: `detect` gives what is heard of them. switched: it works only while a switch says so."""

    switched = False

    def works(self, now: Now) -> bool:
        """Whether it is the one that is switched in."""
        return True

    @abstractmethod
    def detect(self, waves: Sequence[Wave], noise_v: float, now: Now) -> Audio:
        """Return what it makes of waves (V r.m.s. each) in noise (V r.m.s. in the band before it)."""

    def whistles(self, waves: Sequence[Wave]) -> list[tuple[float, float]]:
        """Return what is heard of every carrier beside the strongest: its beat with that one (Hz), and how loud (V r.m.s.)."""
        return []


SURELY = 200.0  # carrier to noise (power) beyond which the envelope's noise is the in-phase half to a thousandth


def envelope_noise(ratio: float) -> float:
    """Return the r.m.s. of an envelope about its mean, to that of one quadrature of the noise. ratio: carrier to noise, in power.

    Rice: variance = 2 + 2r - (π/2) L², L = e^(-r/2) ((1 + r) I0(r/2) + r I1(r/2)).
    """
    if ratio > SURELY:
        return 1.0
    x, zeroth, first, term, k = ratio / 2.0, 0.0, 0.0, 1.0, 0
    while term > 1e-17 * max(zeroth, 1.0) or k < x:  # the series of I0 and I1 side by side
        zeroth, first = zeroth + term, first + term * x / 2.0 / (k + 1)
        k += 1
        term *= (x / 2.0) ** 2 / (k * k)
    mean = math.exp(-x) * ((1.0 + ratio) * zeroth + ratio * first)
    return math.sqrt(max(0.0, 2.0 + 2.0 * ratio - math.pi / 2.0 * mean * mean))


class Envelope(Detector):
    """efficiency of the diode, 0..1.

    A weak carrier is suppressed by the noise it stands in: its tone is taken as reduced by 1 - exp(-C/N), which is 1 well above the
    threshold and C/N far below it. The envelope's noise is Rice's (S. O. Rice, Bell System Technical Journal 24, 1945): well above the
    threshold the in-phase half of the band's; without a carrier that of rectified noise, 3.7 dB less.
    """

    numbers = ("efficiency",)

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        self.efficiency = float(built.data["efficiency"])

    def detect(self, waves: Sequence[Wave], noise_v: float, now: Now) -> Audio:
        power = sum(w.v * w.v for w in waves)
        if power <= 0.0:
            return Audio(0.0, envelope_noise(0.0) * noise_v * self.efficiency)
        ratio = power / (noise_v * noise_v) if noise_v > 0 else math.inf
        depth = math.sqrt(sum((w.am_depth * w.v) ** 2 for w in waves) / power)
        strongest = max(waves, key=lambda w: w.v)
        tone = depth * math.sqrt(power) * self.efficiency * (1.0 - math.exp(-min(ratio, 700.0)))
        return Audio(tone, envelope_noise(ratio) * noise_v * self.efficiency, strongest.tone_hz)

    def whistles(self, waves: Sequence[Wave]) -> list[tuple[float, float]]:
        """An envelope about a strong carrier goes up and down by a weak one's own size, at their difference."""
        strongest = max(waves, key=lambda w: w.v, default=None)
        return [(abs(w.f_hz - strongest.f_hz), w.v * self.efficiency) for w in waves if strongest and w is not strongest and w.v > 0.0]


class ProductDetector(Detector):
    """A beat oscillator beside the carrier: its difference is heard, whatever is on it.

    adjuster, c_f, q, l_min_h, l_max_h of the beat oscillator's coil; pitch: the adjuster of its pitch control, pitch_hz: how far that goes
    each way; efficiency. Works while the receiver's switch «detector» says «product».
    """

    numbers = ("c_f", "q", "l_min_h", "l_max_h", "efficiency")
    turned = ("adjuster",)
    may_have = ("pitch_hz",)

    SWITCH, IN = "detector", "product"
    switched = True

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.efficiency, self._pitch_hz = float(data["efficiency"]), float(data.get("pitch_hz", 0.0))
        self.winding = winding_of(built.model.adjuster(data["adjuster"]), data, if_hz=built.model.if_hz)
        self._pitch_name = str(data.get("pitch", ""))
        self._pitch = Preset(1.0, 0.5)
        if self._pitch_name:
            travel = built.model.adjuster(self._pitch_name).travel_turns or 1.0
            self._pitch = Preset(travel, travel / 2.0)

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        own: dict[str, Adjuster] = {self.winding.adjuster_id: self.winding.core}
        return own | ({self._pitch_name: self._pitch} if self._pitch_name else {})

    @property
    def windings(self) -> Sequence[Winding]:
        return (self.winding,)

    def beat_hz(self) -> float:
        """Return where its oscillator runs."""
        return self.winding.frequency_hz() + self._pitch_hz * (2.0 * self._pitch.share - 1.0)

    def works(self, now: Now) -> bool:
        return now.switches.get(self.SWITCH) == self.IN

    def detect(self, waves: Sequence[Wave], noise_v: float, now: Now) -> Audio:
        if not waves:
            return Audio(0.0, noise_v * self.efficiency)
        strongest = max(waves, key=lambda w: w.v)
        return Audio(strongest.v * self.efficiency, noise_v * self.efficiency, abs(strongest.f_hz - self.beat_hz()))

    def whistles(self, waves: Sequence[Wave]) -> list[tuple[float, float]]:
        """Each carrier beats with its oscillator."""
        strongest = max(waves, key=lambda w: w.v, default=None)
        return [(abs(w.f_hz - self.beat_hz()), w.v * self.efficiency) for w in waves if w is not strongest and w.v > 0.0]

    def own(self, now: Now) -> list[Wave]:
        """Return what its oscillator gives."""
        return [Wave(self.beat_hz(), 1.0)]

    def probed(self, farads: float, *, at_output: bool) -> None:
        self.winding.probe_f = farads

    def align(self, f_hz: float) -> None:
        self.winding.core.position_turns = self.winding.position_for(f_hz)
        self._pitch.position_turns = self._pitch.travel_turns / 2.0
