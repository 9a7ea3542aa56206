"""Sections of a gang, read with a capacitance meter at several places of the shaft: as drawn or not, equal or not, and what the dial does.

    C(place) = C_drawn (1 + v + s u) + c0        u from +1 where the scale begins to -1 where it ends, as in dial_fit
v is the section's value, s its shape, c0 what lies across it (trimmer, leads). What is left beside the line is plates that are bent. The
adjusters of a band take up c0 whole and v nearly; s only so far as coil, trimmer and padder can follow it, which best_setting() works out.
Good for readings to 0.5 % or better, at three places or more that spread over the travel.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.dial_fit import Drawn, known
from calm_needle.core.physics.dial_setting import best_setting
from calm_needle.errors import OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

FEWEST = 3
ACROSS_F = 100e-12  # unit of what lies across, of the size of the rest


class Section(NamedTuple):
    """How far a section is off the drawn one: value and shape (shares), what lies across it (F), and the most by which a reading lies
    beside that line (a share of the reading)."""

    value: float
    shape: float
    across_f: float
    left: float


class Foretold(NamedTuple):
    """What the dial does with a section, errors at the marks (Hz): as it is put in, and once the adjusters are set for the least worst."""

    before_hz: tuple[float, ...]
    after_hz: tuple[float, ...]

    @property
    def worst_before_hz(self) -> float:
        return max(abs(e) for e in self.before_hz)

    @property
    def worst_after_hz(self) -> float:
        return max(abs(e) for e in self.after_hz)


class Unequal(NamedTuple):
    """Where two sections agree least: the place (dial, Hz), by what share the second has more than the first, and how far that shifts a
    circuit there (Hz of dial, up: positive)."""

    dial_hz: float
    share: float
    shifts_hz: float


def section_of(drawn: Drawn, readings: Sequence[tuple[float, float]]) -> Section:
    """Return what readings (pointer on the band's scale in Hz, farads) make of a section. Raises OutOfRange for fewer than three places."""
    if len({at for at, _ in readings}) < FEWEST:
        raise OutOfRange("readings", shown=f"{len(readings)} places", wanted="at least three, spread over the travel")
    gang_f, u, _ = drawn.gang([at for at, _ in readings])
    seen = np.array([c for _, c in readings])
    a = np.column_stack([gang_f, gang_f * u, np.full(len(seen), ACROSS_F)])
    # A meter is right to a share of what it shows.
    found = np.linalg.lstsq(a / seen[:, None], np.ones(len(seen)), rcond=None)[0]
    left = float(np.abs(a @ found / seen - 1.0).max())
    return Section(float(found[0]) - 1.0, float(found[1]), ACROSS_F * float(found[2]), left)


def foretell(drawn: Drawn, section: Section, *, instead_of: Section | None = None) -> Foretold:
    """Return what a band's dial does with a section. instead_of: the section with which it is right now; the drawn one if None."""
    old = instead_of or Section(0.0, 0.0, 0.0, 0.0)
    changed = {
        "gang value": (1.0 + section.value) / (1.0 + old.value) - 1.0,
        "gang shape": section.shape - old.shape,
        "trimmer": (section.across_f - old.across_f) / drawn.trimmer_reach_f,
    }
    as_put_in = known(drawn, changed)
    # The trimmer's own screw takes up what lies across.
    return Foretold(tuple(as_put_in.errors_hz().tolist()), best_setting(known(drawn, {**changed, "trimmer": 0.0})).errors_hz)


def most_unequal(drawn: Drawn, first: Sequence[tuple[float, float]], second: Sequence[tuple[float, float]]) -> Unequal:
    """Return where two sections that should be alike agree least, read at the same places, what lies across either taken off.

    Raises OutOfRange for fewer than three places.
    """
    one, two = section_of(drawn, first), section_of(drawn, second)
    places = np.array([at for at, _ in first])
    gang_f, u, _ = drawn.gang(places)
    c1, c2 = gang_f * (1.0 + one.value + one.shape * u), gang_f * (1.0 + two.value + two.shape * u)
    share = c2 / c1 - 1.0
    # Of what the circuit has in all, at that place, the difference is a part.
    shifts = -places * share * c1 / (2.0 * (c1 + drawn.trim_f))
    k = int(np.argmax(np.abs(shifts)))
    return Unequal(float(places[k]), float(share[k]), float(shifts[k]))
