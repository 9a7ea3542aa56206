"""Band switch and pointer: the tuning of a practice set, by its printed scale.

The drawn gang at a mark is what the nominal oscillator needs to receive that mark: so the scale was printed. The pointer goes along the
scale by millimetres; between two marks the logarithm of the frequency is taken as even. What the sections have there is gang_law's, and
where the shaft really stands pointer's.
"""

import bisect
import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import Band, Model
from calm_needle.sim.receiver.adjuster import Tuning
from calm_needle.sim.receiver.band_tank import BandTank
from calm_needle.sim.receiver.gang_law import Bent, Measured
from calm_needle.sim.receiver.pointer import Drive, Pointer

SEARCHED, SEARCH_STEPS = 0.06, 240  # how far a hand looks about a mark, as a share of its frequency, and in how many steps
TUNING_TURNS = 12.0  # of the knob, from one end of the scale to the other
SIDES = ("below", "above", "lower end", "upper end")
BESIDE = 0.03  # of a mark, from where it is come to from one side
UNMEASURED_MM = 100.0  # of a scale without marks
BEYOND = 0.02  # of the scale, by which the shaft goes on beyond either end
OSCILLATOR = "oscillator"  # the section that every band has


class GangOff(NamedTuple):
    """How far a gang is off the drawn one (shares): in value, and in shape, +1 of it at the scale's lower end and -1 at its upper."""

    value: float
    shape: float


class Dial:
    """Where a set is tuned: `select` a band, `point` the pointer, or turn `tuning`. printed: the oscillator's tank of each band."""

    def __init__(self, model: Model, printed: dict[str, BandTank]) -> None:
        self.bands: dict[str, Band] = {b.id: b for b in model.bands if b.id in printed}
        self._printed = printed
        self.band, self.dial_hz = "", 0.0
        self.off = GangOff(0.0, 0.0)
        self.bent: dict[str, Bent] = {}  # by section
        self.measured: dict[tuple[str, str], Measured] = {}  # by section, and band, «» for all of them
        self.pointer = Pointer(Drive(), seed=0)
        self.tuning = Tuning(TUNING_TURNS, TUNING_TURNS / 2.0, moved=self._follow)
        if self.bands:
            self.select(next(iter(self.bands)))

    def select(self, band: str) -> None:
        """Change to a band, the pointer at the middle of its scale. Raises KeyError for one it does not have."""
        there = self.bands[band]
        self.band, self.dial_hz = band, there.f_low_hz
        self.point(math.sqrt(there.f_low_hz * there.f_high_hz))

    @property
    def sections(self) -> set[str]:
        """Those that have more or less than the oscillator's."""
        return {*self.bent, *(name for name, _ in self.measured)} - {OSCILLATOR} if self.band else set()

    def point(self, dial_hz: float, *, come_from: str = "") -> None:
        """Bring the pointer to a frequency of the printed scale, or as near to it as it goes; from one side, or as it comes."""
        band = self.bands[self.band]
        if come_from:
            ends = {"lower end": band.f_low_hz, "upper end": band.f_high_hz}
            self.point(ends.get(come_from, dial_hz * (1.0 - BESIDE if come_from == "below" else 1.0 + BESIDE)))
        before_hz = self.dial_hz
        self.dial_hz = min(max(dial_hz, at_share(band, -BEYOND)), at_share(band, 1.0 + BEYOND))
        came_mm = length_mm(band) * (along(band, self.dial_hz) - along(band, before_hz))
        self.pointer.come(way_mm=came_mm, scale_mm=length_mm(band))
        self.tuning.position_turns = TUNING_TURNS * min(max(along(band, self.dial_hz), 0.0), 1.0)

    def gang_f(self, band_id: str | None = None, dial_hz: float | None = None, *, section: str = OSCILLATOR) -> float:
        """Return how much a section of the gang has (F) where the shaft stands; or with the shaft just where some band's scale has a
        frequency.
        """
        if not (band_id or self.band):
            return 0.0
        band = self.bands[band_id or self.band]
        beside = self.pointer.beside_mm / length_mm(band) if dial_hz is None else 0.0
        place = along(band, dial_hz or self.dial_hz) + beside
        if known := self.measured.get((section, band.id)) or self.measured.get((section, "")):
            return known.at(place)
        drawn_f = self._drawn_f(band, at_share(band, place))
        low_f, high_f = self._drawn_f(band, band.f_low_hz), self._drawn_f(band, band.f_high_hz)
        u = 2.0 * math.log(drawn_f / math.sqrt(low_f * high_f)) / math.log(low_f / high_f)
        more_f = self.bent[section].at(place, drawn_f) if section in self.bent else 0.0
        return drawn_f * (1.0 + self.off.value + self.off.shape * u) + more_f

    def _drawn_f(self, band: Band, dial_hz: float) -> float:
        """What the drawn gang has at a frequency of the scale (F): with so much the drawn oscillator receives it."""
        return self._printed[band.id].gang_for(dial_hz + (band.if_hz if band.side == "above" else -band.if_hz))

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

    def _follow(self) -> None:
        """The pointer goes where the knob was turned to."""
        if self.band:
            self.dial_hz = at_share(self.bands[self.band], self.tuning.share)


def along(band: Band, dial_hz: float) -> float:
    """Return how far along its scale a frequency stands, 0..1 from its lower end."""
    f, mm = _scale(band)
    return _between(math.log(dial_hz), [math.log(v) for v in f], [(m - mm[0]) / (mm[-1] - mm[0]) for m in mm])


def length_mm(band: Band) -> float:
    """Return how long a band's scale is (mm)."""
    mm = _scale(band)[1]
    return (mm[-1] - mm[0]) if len(band.marks) > 1 else UNMEASURED_MM


def at_share(band: Band, share: float) -> float:
    """Return the frequency (Hz) that stands so far along the scale."""
    f, mm = _scale(band)
    return math.exp(_between(share, [(m - mm[0]) / (mm[-1] - mm[0]) for m in mm], [math.log(v) for v in f]))


def _scale(band: Band) -> tuple[list[float], list[float]]:
    """The marks of a band with its two ends; where it has none, a scale that is even in the logarithm."""
    marks = [(m.dial_hz, m.position_mm) for m in band.marks]
    if len(marks) < 2:
        return [band.f_low_hz, band.f_high_hz], [0.0, 1.0]
    f, mm = [m[0] for m in marks], [m[1] for m in marks]
    for end, first, second, at in ((band.f_low_hz, 0, 1, 0), (band.f_high_hz, -1, -2, len(f))):
        if abs(f[first] / end - 1.0) > 1e-9:  # the scale goes on a little beyond its outermost mark
            slope = (mm[first] - mm[second]) / math.log(f[first] / f[second])
            place = mm[first] + slope * math.log(end / f[first])
            f.insert(at if at == 0 else len(f), end)
            mm.insert(at if at == 0 else len(mm), place)
    return f, mm


def _between(x: float, xs: Sequence[float], ys: Sequence[float]) -> float:
    i = min(max(bisect.bisect_right(xs, x) - 1, 0), len(xs) - 2)
    return ys[i] + (ys[i + 1] - ys[i]) * (x - xs[i]) / (xs[i + 1] - xs[i])
