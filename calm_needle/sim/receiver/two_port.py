"""What lies between the generator and the set, as a two-port: pads of a step attenuator, one after the other.

| V1 |   | A  B | | V2 |
| I1 | = | C  D | | I2 |        of passive parts A D - B C = 1: what goes one way goes the other alike (reciprocity)
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

OHM = 50.0  # what generator and pads are matched to


class TwoPort(NamedTuple):
    """The chain matrix of a network without losses other than its resistors."""

    a: float
    b: float
    c: float
    d: float

    def then(self, other: TwoPort) -> TwoPort:
        """Return this one with another behind it."""
        return TwoPort(
            self.a * other.a + self.b * other.c,
            self.a * other.b + self.b * other.d,
            self.c * other.a + self.d * other.c,
            self.c * other.b + self.d * other.d,
        )

    def reversed(self) -> TwoPort:
        """Return it fed from its other end."""
        return TwoPort(self.d, self.b, self.c, self.a)

    def open_share(self, *, source_ohm: float) -> float:
        """Return the volts at its open end for one volt behind so many ohms."""
        return 1.0 / (self.a + self.c * source_ohm)

    def output_ohm(self, *, source_ohm: float) -> float:
        """Return the resistance that is seen into its far end."""
        return (self.d * source_ohm + self.b) / (self.c * source_ohm + self.a)

    def input_ohm(self, *, load_ohm: float) -> float:
        """Return the resistance that is seen into its near end."""
        return (self.a * load_ohm + self.b) / (self.c * load_ohm + self.d)


THROUGH = TwoPort(1.0, 0.0, 0.0, 1.0)


def series(ohm: float) -> TwoPort:
    """Return a resistor in the line."""
    return TwoPort(1.0, ohm, 0.0, 1.0)


def shunt(ohm: float) -> TwoPort:
    """Return a resistor across the line."""
    return TwoPort(1.0, 0.0, 1.0 / ohm, 1.0)


def pad(loss_db: float, *, ohm: float = OHM) -> TwoPort:
    """Return a T pad of so many decibels (above 0) between equal resistances: arms R (k - 1)/(k + 1), leg 2 R k/(k² - 1), k the ratio."""
    k = 10.0 ** (loss_db / 20.0)
    arm, leg = ohm * (k - 1.0) / (k + 1.0), 2.0 * ohm * k / (k * k - 1.0)
    return series(arm).then(shunt(leg)).then(series(arm))


def pads(thrown_db: Sequence[float]) -> TwoPort:
    """Return pads in a row."""
    out = THROUGH
    for loss_db in thrown_db:
        out = out.then(pad(loss_db))
    return out
