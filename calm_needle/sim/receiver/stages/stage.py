"""What every link of the chain is: it passes waves on, lets the detector see the noise before it, adds its own, and has what is turned.

A kind of link is a class with `build`, listed in stages.table; nothing else knows its name.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from calm_needle.core.constants import BOLTZMANN_J_PER_K, REFERENCE_TEMPERATURE_K
from calm_needle.core.dossier.model import Model
from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.band_tank import BandTank
from calm_needle.sim.receiver.signal import Now, Wave, Window
from calm_needle.sim.receiver.true_parts import TrueParts

if TYPE_CHECKING:
    from calm_needle.sim.receiver.transformer import Winding

OneOrMany = Any  # a float or an array of them; what comes out is of the same shape
KTQ_W_PER_HZ = 4.0 * BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K  # of a resistance: V²/Hz per ohm (J. B. Johnson, Phys. Rev. 32, 1928)


class Built(NamedTuple):
    """What a link is built from: its data, the model, its true parts, the seed, the stage of the dossier that it is a piece of."""

    data: Mapping[str, Any]
    model: Model
    parts: TrueParts
    seed: int
    stage_id: str


class Stage:
    """A link that changes nothing. `points`: the test points at its input; `within`: those that look at what it makes.

    numbers, turned: what its data must have, as numbers above 0 and as ids of adjusters; may_have: further numbers.
    """

    numbers: tuple[str, ...] = ()
    turned: tuple[str, ...] = ()
    may_have: tuple[str, ...] = ()

    def __init__(self, built: Built) -> None:
        self.data, self.stage_id = built.data, built.stage_id
        self.tanks: dict[str, BandTank] = {}  # what the gang tunes of it, by band
        self.points: tuple[str, ...] = ()
        self.within: tuple[str, ...] = ()

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        """What can be turned of it, by its id."""
        return {}

    @property
    def windings(self) -> Sequence[Winding]:
        """Its tuned windings, each with its part."""
        return ()

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        """Return the voltage gain at f_hz, by what is tuned; of one frequency or of many at once."""
        return 1.0

    def scale(self, now: Now) -> float:
        """Return what else the gain is times: by its valve's rails and by the gain control, the same at every frequency."""
        return 1.0

    def waves(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        """Return what leaves it of what enters it."""
        scale = self.scale(now)
        return [w.times(scale * self.transfer(w.f_hz, now)) for w in waves]

    def windows(self, windows: Sequence[Window], now: Now) -> list[Window]:
        """Return through what the detector sees what enters it, from through what it sees what leaves it; without `scale`."""
        return [Window(w.f, w.h2 * self.transfer(w.f, now) ** 2) for w in windows]

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        """Return the noise that it adds at its output (V²/Hz); of a stage that amplifies, without `scale`."""
        return 0.0

    def tuned_to(self, now: Now) -> tuple[float, ...]:
        """Return every frequency (Hz) and share on which its transfer depends: what was turned shows here."""
        return tuple(w.frequency_hz() for w in self.windings)

    def narrow_hz(self, now: Now) -> float:
        """Return the half-power width (Hz) of what passes far less than coils do about the IF; infinite of anything else."""
        return math.inf

    def radiated(self, now: Now) -> Sequence[Wave]:
        """Return what a loop beside it is near: what it makes itself, where nothing stands higher."""
        return self.own(now)

    def own(self, now: Now) -> list[Wave]:
        """Return what it makes by itself, where it oscillates."""
        return []

    def probed(self, farads: float, *, at_output: bool) -> None:
        """Let a probe hang so much at its input or its output; 0 takes it off."""

    def seen_within(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        """Return what an instrument sees at a point within it, of what enters it."""
        return self.waves(waves, now)

    def ideal(self, f_hz: float, now: Now) -> float:
        """Return its transfer at f_hz with every core where it should be."""
        return float(self.transfer(f_hz, now))

    def best(self, f_hz: float, now: Now) -> float:
        """Return the highest transfer at f_hz within what its cores reach, a waxed one where it is."""
        return self.ideal(f_hz, now)

    def align(self, f_hz: float) -> None:
        """Put what is turned where its maker had it, for an intermediate frequency of f_hz."""
