"""How sure the instruments are: by what they were checked against, or by what such instruments are taken to be."""

import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.constants import K95

Quantity = Literal["level", "frequency", "volts", "ohms"]
State = Literal["checked", "due soon", "overdue", "never checked"]
SOON_DAYS = 30
UNITS: Mapping[str, str] = {"level": "dB", "frequency": "ppm", "volts": "%", "ohms": "%"}
# What each instrument gives or reads, and the uncertainty (95 %) that such instruments are taken to have where nobody has checked them.
TAKEN: Mapping[tuple[str, str], float] = {
    ("generator", "level"): 1.0,
    ("generator", "frequency"): 20.0,
    ("counter", "frequency"): 4.0,
    ("ac-millivoltmeter", "volts"): 2.0,
    ("multimeter", "volts"): 2.0,
    ("multimeter", "ohms"): 2.0,
    ("oscilloscope", "volts"): 6.0,
    ("lcr-meter", "ohms"): 2.0,
}

# As what a paper gives an uncertainty, and how many times that is the uncertainty (95 %). Limits: anywhere within them is as likely (the
# Guide to the expression of uncertainty in measurement, 4.3.7).
U95, STANDARD, LIMITS = "uncertainty (95 %)", "standard deviation", "limits of error"
GIVEN_AS: Mapping[str, float] = {U95: 1.0, STANDARD: K95, LIMITS: K95 / math.sqrt(3.0)}


class Check(NamedTuple):
    """One check: of which instrument and quantity, on which day (2026-03-31), when it falls due again, against what, and its uncertainty
    since as the paper gives it (in UNITS, given_as one of GIVEN_AS)."""

    instrument: str
    quantity: str
    checked_on: str
    due_on: str | None
    against: str
    given: float
    given_as: str = U95

    @property
    def u95(self) -> float:
        """Its uncertainty (95 %), in UNITS."""
        return GIVEN_AS[self.given_as] * self.given


class Sure(NamedTuple):
    """The uncertainty of an instrument for a quantity (95 %, in UNITS), and from where that is known."""

    uncertainty: float
    state: State
    words: str

    @property
    def sigma(self) -> float:
        """The standard deviation that goes with it."""
        return self.uncertainty / K95


def sure_of(checks: Sequence[Check], *, instrument: str, quantity: str, today: str, soon: str) -> Sure:
    """Return how sure an instrument is, by the last check of it; one that is overdue is believed half as well. today, soon: days."""
    mine = [c for c in checks if (c.instrument, c.quantity) == (instrument, quantity)]
    if not mine:
        taken = TAKEN.get((instrument, quantity), 0.0)
        return Sure(taken, "never checked", f"never checked; uncertainty taken as ±\u00a0{taken:g}\u00a0{UNITS[quantity]} (95\u00a0%)")
    last = max(reversed(mine), key=lambda c: c.checked_on)  # of two on one day the later entry corrects the first
    unit = UNITS[quantity]
    given = "" if last.given_as == U95 else f", given as {last.given_as} ±\u00a0{last.given:g}\u00a0{unit},"
    said = f"uncertainty ±\u00a0{last.u95:.3g}\u00a0{unit} (95\u00a0%){given} by {last.against}, {last.checked_on}"
    if last.due_on and last.due_on < today:
        return Sure(2.0 * last.u95, "overdue", f"{said}; overdue since {last.due_on}")
    if last.due_on and last.due_on <= soon:
        return Sure(last.u95, "due soon", f"{said}; due on {last.due_on}")
    return Sure(last.u95, "checked", said)
