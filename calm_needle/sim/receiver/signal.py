"""What goes along the chain: waves forwards, and windows backwards, through which the detector sees the noise of each stage."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]


class Wave(NamedTuple):
    """A carrier: where it lies (Hz), how strong (V r.m.s.), how it is modulated and by what tone (Hz)."""

    f_hz: float
    v: float
    am_depth: float = 0.0
    fm_deviation_hz: float = 0.0
    tone_hz: float = 400.0

    def times(self, gain: float) -> Wave:
        """Return it after a gain."""
        return Wave(self.f_hz, self.v * gain, self.am_depth, self.fm_deviation_hz, self.tone_hz)


class Window(NamedTuple):
    """The square of the voltage gain from here to the detector (h2, N) over frequencies (f, N, Hz, in their order at the detector)."""

    f: Floats
    h2: Floats


class Now(NamedTuple):
    """How the set stands: band, gang (F; the oscillator's section), where its oscillator runs (Hz, None where it does not), how far the
    gain control has drawn back (carrier over threshold, 1 below it), what each valve does times what it should, by the winding that feeds
    it, its switches, and other sections of the gang by their stage (F).
    """

    band: str
    gang_f: float
    oscillator_hz: float | None
    drawn_back: float
    slope: float
    alive: dict[str, float]
    switches: dict[str, str]
    sections_f: Mapping[str, float] = MappingProxyType({})

    def section_f(self, stage: str) -> float:
        """What the gang has (F) in the section of a stage."""
        return self.sections_f.get(stage, self.gang_f)

    def lives(self, winding: str) -> float:
        """What the valve fed through a winding does, times what it should."""
        return self.alive.get(winding, self.alive.get("", 1.0))
