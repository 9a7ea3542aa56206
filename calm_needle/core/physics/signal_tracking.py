"""How well a signal circuit follows where the set receives, over a band: its tracking error, and what that costs in decibels.

The circuit is peaked at one place of the dial or two, where it then stands at what the set receives. Everywhere else
    f_s = 1 / (2 pi sqrt(L (C_gang + C_trim)))        loss = 10 n log(1 + Q^2 (f_r/f_s - f_s/f_r)^2)
with f_r what the set receives there (its oscillator as it was read), the gang's sections alike, n circuits of one Q. Peaked at two places
both coil and trimmer follow from them; at one, the trimmer, the coil being as drawn. Terman, Radio Engineers' Handbook, 1943, sec. 9.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.dial_fit import Drawn
from calm_needle.errors import NoAnswer

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

NONE: Mapping[str, float] = {}


class Tracked(NamedTuple):
    """At each place of the dial (Hz): by how much the circuit stands beside what is received (Hz, above: positive), and the loss (dB)."""

    dial_hz: tuple[float, ...]
    error_hz: tuple[float, ...]
    loss_db: tuple[float, ...]

    @property
    def worst_db(self) -> float:
        return max(self.loss_db)


def tracked(
    drawn: Drawn,
    dial_hz: Sequence[float],
    *,
    l_h: float,
    peaked_hz: Sequence[float],
    q: float,
    circuits: int = 1,
    changes: Mapping[str, float] = NONE,
) -> Tracked:
    """Return how signal circuits follow at N places of the dial. l_h: the coil as drawn; peaked_hz: one place or two (dial, Hz); changes:
    of the oscillator's parts and of the gang, as a fit of the dial has them.

    Raises NoAnswer where no coil and trimmer can be right at both places.
    """
    peaks = sorted({float(peaked_hz[0]), float(peaked_hz[-1])})
    places = np.asarray([*dial_hz, *peaks], dtype=np.float64)
    at = drawn.gang(places)
    received = drawn.receives_hz(changes, at)
    gang_f = at.gang_f * (1.0 + changes.get("gang value", 0.0) + changes.get("gang shape", 0.0) * at.u)
    wanted = 1.0 / (2.0 * math.pi * received[-len(peaks) :]) ** 2  # L C at the places where it is peaked
    if len(peaks) == 2:
        low, high = gang_f[-2:]
        l_h = float((wanted[0] - wanted[1]) / (low - high))
    trim_f = float(wanted[-1] / l_h - gang_f[-1]) if l_h > 0.0 else -1.0
    if trim_f + float(gang_f.min()) <= 0.0:
        raise NoAnswer("peaked_hz: no coil and trimmer are right at both places with this gang.")
    stands = 1.0 / (2.0 * math.pi * np.sqrt(l_h * (gang_f + trim_f)))
    off = q * (received / stands - stands / received)
    n = len(dial_hz)
    loss = 10.0 * circuits * np.log10(1.0 + off * off)
    return Tracked(tuple(float(f) for f in dial_hz), tuple((stands - received)[:n].tolist()), tuple(loss[:n].tolist()))
