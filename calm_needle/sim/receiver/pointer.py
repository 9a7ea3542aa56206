"""The pointer of a practice set: it never comes back to quite the same place.

Where the shaft stands when the pointer is on a mark differs each time that it was brought there: by the width of pointer and mark, by half
the backlash of the drive according to the side it came from, and by what the cord has slipped on long ways. Millimetres along the scale.
"""

import random
from typing import NamedTuple

LONG_WAY = 0.5  # of the scale, that a cord slips on


class Drive(NamedTuple):
    """Width: standard deviation of a return; backlash: between returns from either side; slip: at most, either way, on a long way (mm)."""

    width_mm: float = 0.0
    backlash_mm: float = 0.0
    slip_mm: float = 0.0


class Pointer:
    """beside_mm: by how much the shaft stands beyond where the pointer shows."""

    def __init__(self, drive: Drive, *, seed: int) -> None:
        self.drive, self.beside_mm, self._slipped_mm = drive, 0.0, 0.0
        self._rng = random.Random(f"{seed} pointer")

    def come(self, *, way_mm: float, scale_mm: float) -> None:
        """It is brought to a mark from so far away (mm, positive: towards the scale's upper end)."""
        if way_mm == 0.0 or self.drive == Drive():
            return
        if abs(way_mm) > LONG_WAY * scale_mm:
            self._slipped_mm += self._rng.uniform(-1.0, 1.0) * self.drive.slip_mm
        lags_mm = self.drive.backlash_mm / 2.0
        self.beside_mm = self._rng.gauss(0.0, self.drive.width_mm) + (lags_mm if way_mm > 0 else -lags_mm) + self._slipped_mm
