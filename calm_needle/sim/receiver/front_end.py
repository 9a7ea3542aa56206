"""The front end of the practice receiver: per band the aerial circuits, the oscillator, and the mixer that brings both together.

    C(dial) of the gang is what the nominal oscillator needs to receive that mark of the printed scale;
    f_lo from the true oscillator tank, 1/C = 1/C_pad + 1/(C_gang + C_trim)           physics.md §3 of the design
    aerial circuits: |H| = 1 / sqrt(1 + Q²(f/f0 - f0/f)²) each                        §1
Two things come out of the mixer at the intermediate frequency: the signal, and the image if the generator is there.
"""

import math
import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.physics.resonance import detuning, resonant_frequency_hz
from calm_needle.sim.receiver.strip import AERIAL_OHM
from calm_needle.sim.receiver.true_parts import TrueParts

TYPICAL = {"gain": 5.0, "q": 70.0, "circuits": 1}
CONVERSION = 0.5  # of the mixer's gain as an amplifier
THROUGH_OPEN_COIL = 0.01  # what strays carry past an open aerial coil
SEARCHED, SEARCH_STEPS = 0.06, 240  # how far a hand looks about a mark, as a share of its frequency, and in how many steps
# How far off the variable parts were left: trimmers (F), padders and cores (share), most.
LEFT_OFF: dict[str, tuple[float, float]] = {
    "none": (0.0, 0.0),
    "light": (1e-12, 0.003),
    "moderate": (3e-12, 0.007),
    "severe": (8e-12, 0.03),
}


@dataclass(frozen=True)
class Tank:
    """A tank as it really is: coil, trimmer, padder in series with both (none where it has none), the coil's part."""

    l_h: float
    trim_f: float
    padder_f: float | None
    coil: str

    def frequency_hz(self, gang_f: float) -> float:
        """Return where it resonates with so much of the gang across it."""
        c_f = gang_f + self.trim_f
        return resonant_frequency_hz(l_h=self.l_h, c_f=c_f if self.padder_f is None else 1.0 / (1.0 / self.padder_f + 1.0 / c_f))

    def gang_for(self, f_hz: float) -> float:
        """Return the capacitance of the gang (F) with which it resonates at f_hz."""
        total_f = 1.0 / (self.l_h * (2.0 * math.pi * f_hz) ** 2)
        return (total_f if self.padder_f is None else 1.0 / (1.0 / total_f - 1.0 / self.padder_f)) - self.trim_f


class BandTruth(NamedTuple):
    """One band of one set: its description, printed oscillator, true oscillator and aerial tanks, and what its aerial circuits do."""

    band: Band
    printed: Tank
    oscillator: Tank
    aerial: Tank
    gain: float
    q_factor: float
    circuits: int


class Mixed(NamedTuple):
    """A product of the mixer: where it lies (Hz), and volts of it at the mixer's grid for one volt behind the dummy aerial."""

    frequency_hz: float
    gain: float


class FrontEnd:
    """Every band of a practice set whose dossier gives its tanks. `select` a band, `point` the pointer, ask what is `mixed`."""

    def __init__(self, model: Model, parts: TrueParts, *, seed: int, misalign: str) -> None:
        self._parts = parts
        settings = model.simulation.get("front_end", {})
        self.bands = {
            b.id: _truth(b, settings.get(b.id, {}), random.Random(f"{seed} tanks {b.id}"), *LEFT_OFF[misalign])
            for b in model.bands
            if all(name in tank for tank in (b.oscillator_tank, b.signal_tank) for name in ("l_h", "trim_f"))
        }
        self.band, self.dial_hz = "", 0.0
        if self.bands:
            self.select(next(iter(self.bands)))

    def coil_h(self, coil: str) -> float | None:
        """Return the inductance (H) of a coil of the tanks by its part; None for another part."""
        tanks = (tank for truth in self.bands.values() for tank in (truth.oscillator, truth.aerial))
        return next((tank.l_h for tank in tanks if tank.coil == coil), None)

    def select(self, band: str) -> None:
        """Change to a band, the pointer at the middle of its scale. Raises KeyError for one it does not have."""
        truth = self.bands[band]
        self.band, self.dial_hz = band, math.sqrt(truth.band.f_low_hz * truth.band.f_high_hz)

    def point(self, dial_hz: float) -> None:
        """Bring the pointer to a frequency of the printed scale, or to the end of the scale nearest to it."""
        band = self.bands[self.band].band
        self.dial_hz = min(max(dial_hz, band.f_low_hz), band.f_high_hz)

    def oscillator_hz(self, *, emission: float = 1.0) -> float | None:
        """Return where the oscillator runs; None where it does not, for want of a coil or of volts."""
        if not self.band:
            return None
        truth = self.bands[self.band]
        if self._open(truth.oscillator.coil) or emission <= 0.0:
            return None
        return truth.oscillator.frequency_hz(self._gang_f())

    def mixed(self, f_hz: float, *, emission: float = 1.0) -> Mixed | None:
        """Return what the mixer makes of a signal of f_hz at the aerial; None while the oscillator does not run."""
        oscillator_hz = self.oscillator_hz(emission=emission)
        if oscillator_hz is None:
            return None
        truth = self.bands[self.band]
        a = detuning(f_hz=f_hz, f0_hz=truth.aerial.frequency_hz(self._gang_f()), q_factor=truth.q_factor)
        # No circuit steps a voltage up further than a matched one: sqrt(R_d / 2 R_s), R_d loaded by the aerial it is matched to.
        most = math.sqrt(self.tank_ohm() / (2.0 * AERIAL_OHM))
        through = min(truth.gain, most) * (1.0 + a * a) ** (-truth.circuits / 2.0)
        if self._open(truth.aerial.coil):
            through *= THROUGH_OPEN_COIL
        return Mixed(abs(oscillator_hz - f_hz), CONVERSION * through)

    def tank_ohm(self) -> float:
        """Return the resistance of the aerial circuit at its resonance (ohm), loaded as it is: what it hisses by; 0 without one."""
        if not self.band:
            return 0.0
        truth = self.bands[self.band]
        return truth.q_factor * 2.0 * math.pi * truth.aerial.frequency_hz(self._gang_f()) * truth.aerial.l_h

    def tune_in(self, near_hz: float, *, loudness: Callable[[], float]) -> float:
        """Bring the pointer to the loudest place about a mark, as a hand does by ear, and return where it then stands (Hz)."""
        before = self.dial_hz
        steps = [near_hz * (1.0 + SEARCHED * (2.0 * i / SEARCH_STEPS - 1.0)) for i in range(SEARCH_STEPS + 1)]
        best = near_hz
        for width in (1.0, 1.0 / SEARCH_STEPS):
            heard = []
            for f in [best + (f - near_hz) * width for f in steps]:
                self.point(f)
                heard.append((loudness(), self.dial_hz))
            best = max(heard)[1]
            if max(heard)[0] <= 0.0:  # in silence nobody tunes
                best = before
                break
        self.point(best)
        return self.dial_hz

    def _gang_f(self) -> float:
        truth = self.bands[self.band]
        return truth.printed.gang_for(self.dial_hz + (truth.band.if_hz if truth.band.side == "above" else -truth.band.if_hz))

    def _open(self, coil: str) -> bool:
        return coil in self._parts and self._parts[coil].open


def _truth(band: Band, settings: Mapping[str, Any], rng: random.Random, trim_off_f: float, share_off: float) -> BandTruth:
    settings = {**TYPICAL, **settings}
    printed, aerial = _tank(band.oscillator_tank), _tank(band.signal_tank)

    def left(tank: Tank) -> Tank:
        """The tank as whoever turned its trimmer, padder or core left it."""
        return Tank(
            tank.l_h * (1.0 + rng.uniform(-0.3, 0.3) * share_off),
            tank.trim_f + rng.uniform(-1.0, 1.0) * trim_off_f,
            None if tank.padder_f is None else tank.padder_f * (1.0 + rng.uniform(-1.0, 1.0) * share_off),
            tank.coil,
        )

    return BandTruth(band, printed, left(printed), left(aerial), settings["gain"], settings["q"], settings["circuits"])


def _tank(data: Mapping[str, Any]) -> Tank:
    return Tank(data["l_h"], data["trim_f"], data.get("padder_f"), str(data.get("coil", "")))
