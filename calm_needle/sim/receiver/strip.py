"""The intermediate-frequency strip as a chain: each stage amplifies into its transformer, and each adds its own noise.

    mixer --- IFT1 --- IF amplifier --- IFT2 --- detector        built from the dossier's stages, in the order in which they feed each other
    ^ V1-g1            ^ V2-g1

What is fed in at a point passes what lies behind that point, and nothing else. Noise is referred to each stage's input as that of an
equivalent resistance, 4 k T R (J. B. Johnson, Phys. Rev. 32, 1928), and summed at the detector over the response behind it, by
numerical integration; so it grows with the root of the bandwidth.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from calm_needle.core.constants import BOLTZMANN_J_PER_K, REFERENCE_TEMPERATURE_K
from calm_needle.core.dossier.model import Model, Stage
from calm_needle.core.lazy import Lazy
from calm_needle.sim.receiver.transformer import Transformer

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")

MIXING, AMPLIFYING = "mixer", "if amplifier"  # kinds of stage, as dossiers have them
EQUIVALENT_OHM = {MIXING: 60e3, AMPLIFYING: 8e3}  # of valves of the class, at their grids
TYPICAL_BANDWIDTH_HZ = 6e3
AERIAL_OHM = 400.0  # the standard dummy aerial, over most of the broadcast bands
WIDE, POINTS = 6.0, 121  # how many half-power bandwidths are integrated over, each way; in how many points
MOVED_HZ = 40.0  # a winding that moved by less leaves the noise as it was


class StripStage(NamedTuple):
    """A stage: its gain, the transformer behind it, its noise as an equivalent resistance (ohm), the test points at its input."""

    kind: str
    gain: float
    transformer: Transformer | None
    noise_ohm: float
    points: tuple[str, ...]


class Strip:
    """The stages between mixer and detector."""

    def __init__(self, model: Model, transformers: Sequence[Transformer], gains: Mapping[str, float], noise: Mapping[str, Any]) -> None:
        self.stages = list(_stages(model, transformers, gains, noise))
        self._noise: tuple[tuple[float, ...], list[float]] = ((), [])

    def entry(self, point: str) -> int | None:
        """Return which stage's input a test point is; None for a point where nothing can be fed in."""
        return next((i for i, s in enumerate(self.stages) if point in s.points), None)

    def gain(self, f_hz: float, *, entry: int = 0) -> float:
        """Return the voltage gain from the input of a stage to the detector at f_hz, all valves as drawn."""
        out = 1.0
        for stage in self.stages[entry:]:
            out *= stage.gain * (stage.transformer.transfer(f_hz) if stage.transformer else 1.0)
        return out

    def noise_v(self, *, first_ohm: float, entry: int = 0) -> float:
        """Return the noise at the detector (V r.m.s.) before gain control, with first_ohm at the input where the signal comes in."""
        power = 0.0
        for index, (stage, v2_hz) in enumerate(zip(self.stages, self._bandwidths(), strict=True)):
            if index >= entry:
                ohm = stage.noise_ohm + (first_ohm if index == entry else 0.0)
                power += 4.0 * BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K * ohm * v2_hz
        return math.sqrt(power)

    def _bandwidths(self) -> list[float]:
        """The integral of the squared gain from each stage's input to the detector (Hz); kept while no winding was moved."""
        windings = [w for s in self.stages if s.transformer for w in (s.transformer.primary, s.transformer.secondary)]
        now = tuple(w.frequency_hz() for w in windings)
        before, kept = self._noise
        if len(before) == len(now) and all(abs(a - b) < MOVED_HZ for a, b in zip(before, now, strict=True)):
            return kept
        f, out = self._grid(windings), []
        behind: Any = 1.0
        for stage in reversed(self.stages):
            squared = (stage.gain * np.abs(_transfer(stage.transformer, f))) ** 2 if stage.transformer else np.full(len(f), stage.gain**2)
            behind = behind * squared
            out.append(float(np.trapezoid(behind, f)))
        self._noise = (now, out[::-1])
        return self._noise[1]

    @staticmethod
    def _grid(windings: Sequence[Any]) -> Any:
        if not windings:
            return np.linspace(1.0, 1e4, POINTS)
        lowest, highest = min(w.frequency_hz() for w in windings), max(w.frequency_hz() for w in windings)
        margin = WIDE * max(w.frequency_hz() / w.q_factor for w in windings)
        return np.linspace(max(lowest - margin, 1.0), highest + margin, POINTS)


def _transfer(transformer: Transformer, f: Any) -> Any:
    """Transformer.transfer over many frequencies at once."""
    one, two, kappa = transformer.primary, transformer.secondary, transformer.kappa
    a1, a2 = (w.q_factor * (f / w.frequency_hz() - w.frequency_hz() / f) for w in (one, two))
    return 2.0 * kappa / ((1.0 + 1j * a1) * (1.0 + 1j * a2) + kappa * kappa)


def _stages(
    model: Model, transformers: Sequence[Transformer], gains: Mapping[str, float], noise: Mapping[str, Any]
) -> Iterator[StripStage]:
    chain = list(_chain(model))
    fed = {step.set_up.goes_in for group in model.groups for step in group.steps}
    behind = list(transformers)
    amplifiers = max(1, len(chain) - 1)
    for index, stage in enumerate(chain):
        first = stage.kind == MIXING
        # Transformers lie behind the stages in their order; what is left over lies behind the last.
        own = behind.pop(0) if behind else None
        gain = gains["mixer"] if first else gains["if_amplifier"] ** (1.0 / amplifiers)
        ohm = _noise_ohm(model, stage.kind, noise)
        yield StripStage(stage.kind, gain, own, ohm, _inputs(stage, fed))
        if index == len(chain) - 1:
            for other in behind:
                yield StripStage(AMPLIFYING, 1.0, other, 0.0, ())
    if not chain:  # a sketch without stages: one of each, and nowhere to clip a lead but the mixer
        for kind, gain in ((MIXING, gains["mixer"]), (AMPLIFYING, gains["if_amplifier"])):
            yield StripStage(kind, gain, behind.pop(0) if behind else None, EQUIVALENT_OHM[kind], ())


def _noise_ohm(model: Model, kind: str, noise: Mapping[str, Any]) -> float:
    """The noise of a stage as a resistance; of a mixer also as older dossiers have it, as volts over the strip's bandwidth."""
    if kind == MIXING and "grid_v" in noise and "mixer_ohm" not in noise:
        bandwidth_hz = model.bandwidth_6db_hz or TYPICAL_BANDWIDTH_HZ
        return float(noise["grid_v"]) ** 2 / (4.0 * BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K * bandwidth_hz)
    return float(noise.get("mixer_ohm" if kind == MIXING else "if_ohm", EQUIVALENT_OHM[kind]))


def _chain(model: Model) -> Iterator[Stage]:
    """The mixer and what amplifies behind it, as they feed each other."""
    by_id = {s.id: s for s in model.stages}
    stage = next((s for s in model.stages if s.kind == MIXING), None)
    while stage is not None:
        yield stage
        stage = next((by_id[f] for f in stage.feeds if f in by_id and by_id[f].kind == AMPLIFYING), None)


def _inputs(stage: Stage, fed: set[str | None]) -> tuple[str, ...]:
    """The points of a stage where a signal goes in: those with a level stated, and those that the procedure feeds."""
    return tuple(p["id"] for p in stage.test_points if "injection" in p or p["id"] in fed)
