"""The two-channel oscilloscope: eight bits, 60 MHz, 2 % out; a trace of volts over time, as text or as an IEEE 488.2 block.

Both channels see the same set at the same moment, each through its own probe, which hangs on the circuit: 95 pF straight, 14 pF when it
divides by ten. What is triggered on stands still; what has no tie to it does not.
"""

from __future__ import annotations

import math
import random
import struct
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from calm_needle.core.lazy import Lazy
from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.stand_in import BAD_DATA, MISSING, Number, Refusal, StandIn
from calm_needle.sim.receiver.chain import Seen
from calm_needle.sim.receiver.practice import PracticeReceiver

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

CHANNELS = (1, 2)
STRAIGHT_F, DIVIDED_F = 95e-12, 14e-12
BANDWIDTH_HZ = 60e6
STEPS = 256  # of eight bits, over the range
RANGE_V = Number(8e-3, 400.0, 8.0, "V")  # peak to peak, the whole height, at the probe's tip
TIME_S = Number(1e-7, 1.0, 5e-3, "S")  # the whole width
POINTS = Number(100, 4000, 500, "", ".0f")
LEVEL_V = Number(-200.0, 200.0, 0.0, "V")
FORMATS = {"ASC": "ASC", "ASCII": "ASC", "REAL": "REAL,32", "INT": "INT,8", "INTEGER": "INT,8"}
OWN_NOISE = 0.3 / STEPS  # of the range
OFF_SHARE = 0.02
SAMPLED = 0.2  # periods a sample, beyond which a trace of single samples would show another frequency


class Oscilloscope(StandIn):
    """Looks at the points where the practice set has its probes."""

    identity = "Tern Rock,OS-2,0388,1.2"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        self._receiver, self._rng = receiver, random.Random(f"{seed} oscilloscope")
        self._scale = {n: 1.0 + self._rng.gauss(0.0, OFF_SHARE / 2.0) for n in CHANNELS}
        self.parameters |= {"FORMat[:DATA]": 2}
        for n in CHANNELS:
            suffix = "[1]" if n == 1 else "2"
            self.settle(f"[SENSe:]VOLTage{suffix}[:DC]:RANGe:PTPeak", f"range{n}_v", RANGE_V)
            self.commands |= {
                f"INPut{suffix}:COUPling": self._word(f"coupling{n}", {"AC": "AC", "DC": "DC"}),
                f"INPut{suffix}:ATTenuation": self._word(f"divides{n}", {"1": "1", "10": "10"}),
                f"MEASure{suffix}[:SCALar]:VOLTage:PTPeak": partial(self._peak_to_peak, n),
                f"MEASure{suffix}[:SCALar]:VOLTage:AC": partial(self._rms, n),
            }
        self.settle("[SENSe:]SWEep:TIME", "time_s", TIME_S)
        self.settle("[SENSe:]SWEep:POINts", "points", POINTS)
        self.settle("TRIGger[:SEQuence]:LEVel", "level_v", LEVEL_V)
        self.commands |= {
            "TRIGger[:SEQuence]:SOURce": self._word("source", {"INT1": "INT1", "INTERNAL1": "INT1", "INT2": "INT2", "INTERNAL2": "INT2"}),
            "FORMat[:DATA]": self._word("format", FORMATS),
            "TRACe[:DATA]": self._trace,
        }
        self.reset()

    def reset(self) -> None:
        self.range1_v = self.range2_v = RANGE_V.default
        self.coupling1 = self.coupling2 = "AC"
        self.divides1 = self.divides2 = "10"
        self.time_s, self.points, self.level_v, self.source, self.format = TIME_S.default, POINTS.default, LEVEL_V.default, "INT1", "ASC"

    def _word(self, name: str, words: dict[str, str]) -> Callable[[Command], str | None]:
        """Let a header set and answer an attribute that is one of some words."""

        def handle(command: Command) -> str | None:
            if command.asks:
                return str(getattr(self, name))
            if not command.arguments:
                raise Refusal(*MISSING)
            word = words.get(command.arguments[0].upper())
            if word is None:
                raise Refusal(*BAD_DATA)
            setattr(self, name, word)
            return None

        return handle

    def _trace(self, command: Command) -> str | None:
        """The trace of a channel, CHANNEL1 or CHANNEL2: volts, evenly spaced over the sweep, in the format that was chosen."""
        if not command.asks:
            raise Refusal(*BAD_DATA)
        name = command.arguments[0].upper() if command.arguments else "CHANNEL1"
        if name not in ("CHANNEL1", "CHANNEL2"):
            raise Refusal(-224, f"Illegal parameter value: no trace {name[:20]}")
        n = int(name[-1])
        volts = self._acquired()[n]
        if self.format == "ASC":
            return ",".join(f"{v:.4E}" for v in volts)
        if self.format == "REAL,32":
            return block(struct.pack(f">{len(volts)}f", *volts))
        full = float(getattr(self, f"range{n}_v"))
        return block(bytes((round(v / full * STEPS) & 0xFF) for v in volts))

    def _peak_to_peak(self, n: int, _: Command) -> str:
        volts = self._acquired()[n]
        return f"{float(volts.max() - volts.min()):.4E}"

    def _rms(self, n: int, _: Command) -> str:
        return f"{float(np.std(self._acquired()[n])):.4E}"

    def _acquired(self) -> dict[int, Floats]:
        """Both channels at the same moment."""
        t = np.linspace(0.0, self.time_s, int(self.points))
        seen = {}
        for n in CHANNELS:
            farads = DIVIDED_F if getattr(self, f"divides{n}") == "10" else STRAIGHT_F
            seen[n] = self._receiver.look(f"oscilloscope{n}", farads=farads)
        phases = self._phases(seen[int(self.source[-1])])
        noise = np.random.default_rng(self._rng.getrandbits(32))
        return {n: self._drawn(n, seen[n], t, phases, noise) for n in CHANNELS}

    def _phases(self, seen: Seen) -> dict[int, float]:
        """Where each frequency (to the hertz) is at the trigger: what triggers rises through the level there, any other is anywhere."""
        strongest = max(seen.waves, key=lambda w: w.v, default=None)
        if strongest is None or strongest.v <= 0.0:
            return {}
        at = min(max(self.level_v / (strongest.v * math.sqrt(2.0)), -1.0), 1.0)
        return {round(strongest.f_hz): math.asin(at)}

    def _drawn(self, n: int, seen: Seen, t: Floats, phases: dict[int, float], noise: np.random.Generator) -> Floats:
        volts = np.zeros(len(t))
        for wave in seen.waves:
            phase = phases.setdefault(round(wave.f_hz), self._rng.uniform(0.0, 2.0 * math.pi))
            tone = phases.setdefault(-round(wave.tone_hz), self._rng.uniform(0.0, 2.0 * math.pi))
            # Where its samples lie too far apart for the carrier it keeps the highest and the lowest between two of them, as a band.
            aliased = wave.f_hz * self.time_s > SAMPLED * len(t)
            carrier = np.where(np.arange(len(t)) % 2 == 0, 1.0, -1.0) if aliased else np.sin(2.0 * math.pi * wave.f_hz * t + phase)
            envelope = 1.0 + wave.am_depth * np.sin(2.0 * math.pi * wave.tone_hz * t + tone)
            passed = 1.0 / math.hypot(1.0, wave.f_hz / BANDWIDTH_HZ)
            volts = volts + math.sqrt(2.0) * wave.v * passed * envelope * carrier
        full = float(getattr(self, f"range{n}_v"))
        volts = volts + noise.normal(0.0, math.hypot(seen.noise_v, OWN_NOISE * full), len(t))
        if getattr(self, f"coupling{n}") == "DC":
            volts = volts + self._receiver.direct_v(f"oscilloscope{n}")
        step = full / STEPS
        return np.asarray(np.clip(np.round(volts * self._scale[n] / step), -STEPS // 2, STEPS // 2 - 1) * step, dtype=np.float64)


def block(data: bytes) -> str:
    """Return bytes as a definite-length arbitrary block (IEEE 488.2, 8.7.9), a character a byte."""
    length = str(len(data))
    return f"#{len(length)}{length}" + data.decode("latin-1")
