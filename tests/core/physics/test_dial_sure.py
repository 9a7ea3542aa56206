"""How sure a dial is said to be, against sets that numpy makes: another law of the gang, other parts, a pointer with its width."""

import math
import unittest
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from calm_needle.core.physics.dial_causes import cause_of, doubts_about, padder_sigma
from calm_needle.core.physics.dial_fit import Drawn, Reading, fit
from calm_needle.core.procedure.dial.band import DialBand, dial_band
from tests.support import dossiers

Floats = NDArray[np.float64]
POINTER_MM = 0.15


def band_of(model: str, band: str) -> DialBand:
    whole = dossiers.model(model)
    found = dial_band(whole, next(b for b in whole.bands if b.id == band))
    assert found
    return found


class TrueSet(NamedTuple):
    """The error (Hz) at each printed mark, and readings at some of them."""

    errors_hz: Floats
    readings: list[Reading]


def gang_f(drawn: Drawn) -> Floats:
    """What the drawn gang has at its marks, by arithmetic of this file's own."""
    f = np.asarray(drawn.marks_hz) + drawn.side * drawn.if_hz
    whole = 1.0 / (drawn.l_h * (2.0 * math.pi * f) ** 2)
    return np.asarray((whole if drawn.padder_f is None else 1.0 / (1.0 / whole - 1.0 / drawn.padder_f)) - drawn.trim_f)


def made(band: DialBand, rng: np.random.Generator, at: Sequence[int], *, padder_off: float = 0.0) -> TrueSet:
    """A set whose gang bends by a polynomial of random Chebyshev terms, read with a pointer that comes back to 0.15 mm."""
    drawn, gang = band.drawn, gang_f(band.drawn)
    place = np.linspace(-1.0, 1.0, len(gang))
    bends = [np.polynomial.chebyshev.chebval(place, rng.normal(size=6) / np.arange(1, 7)) for _ in range(2)]
    share, farads = (b / np.abs(b).max() * rng.uniform(0.3, 1.0) for b in bends)
    c = gang * (1.0 + rng.uniform(-0.01, 0.01) + 5e-3 * share) + 0.5e-12 * farads
    coil = drawn.l_h * (1.0 + rng.uniform(-0.03, 0.03))
    c = c + drawn.trim_f + rng.uniform(-6e-12, 6e-12)
    if drawn.padder_f is not None:
        c = 1.0 / (1.0 / c + 1.0 / (drawn.padder_f * (1.0 + rng.uniform(-0.02, 0.02)) * (1.0 + padder_off)))
    receives = 1.0 / (2.0 * math.pi * np.sqrt(coil * c)) - drawn.side * drawn.if_hz
    marks = np.asarray(drawn.marks_hz)
    mm = np.array([m.position_mm for m in band.band.marks])
    read = np.interp(mm + rng.normal(0.0, POINTER_MM, len(mm)), mm, receives)
    readings = [Reading(float(marks[i]), float(read[i]), math.hypot(20.0, POINTER_MM * band.hz_per_mm(float(marks[i])))) for i in at]
    return TrueSet(np.asarray(receives - marks), readings)


def spread_over(band: DialBand, count: int) -> list[int]:
    """Inner marks only, evenly: a pointer beyond the outermost has no law here to go by."""
    return [round(1 + i * (len(band.drawn.marks_hz) - 3) / (count - 1)) for i in range(count)]


BANDS = (("halvern-6b", "MW"), ("corvane-r-40", "A"), ("corvane-r-40", "B"), ("pellow-scout", "MW"))


class HowSure(unittest.TestCase):
    def test_errors_at_marks_that_were_not_read_vary_as_is_stated(self) -> None:
        for model, name in BANDS:
            band, rng, z = band_of(model, name), np.random.default_rng(11), []
            at = spread_over(band, 3)
            rest = [i for i in range(1, len(band.drawn.marks_hz) - 1) if i not in at]
            for _ in range(120):
                true = made(band, rng, at)
                found = fit(band.drawn, true.readings)
                z += ((found.errors_hz() - true.errors_hz) / found.sigmas_hz())[rest].tolist()
            with self.subTest(model=model, band=name):
                self.assertAlmostEqual(float(np.sqrt(np.mean(np.square(z)))), 1.0, delta=0.3)

    def test_sound_sets_are_neither_doubted_nor_accused(self) -> None:
        doubted = accused = total = 0
        for model, name in BANDS:
            band, rng = band_of(model, name), np.random.default_rng(12)
            for k in range(100):
                true = made(band, rng, spread_over(band, 3 if k % 2 else 5))
                total += 1
                doubted += bool(doubts_about(band.drawn, true.readings, through_strip=False))
                accused += cause_of(band.drawn, true.readings) is not None
        self.assertLessEqual(doubted, 0.01 * total)
        self.assertLessEqual(accused, 0.005 * total)

    def test_a_padder_a_tenth_off_is_named_where_it_can_be_told(self) -> None:
        band, rng, told, named = band_of("halvern-6b", "MW"), np.random.default_rng(13), 0, 0
        for _ in range(150):
            true = made(band, rng, spread_over(band, 5), padder_off=-0.1)
            sigma = padder_sigma(band.drawn, true.readings)
            assert sigma
            if sigma <= 0.019:
                told += 1
                found = cause_of(band.drawn, true.readings)
                named += found is not None and found.part == "padder" and abs(found.off + 0.1) < 4.0 * found.sigma
        self.assertGreater(told, 100)
        self.assertGreaterEqual(named, 0.95 * told)

    def test_what_is_counted_off_the_oscillator_is_no_station_and_no_image(self) -> None:
        for model, name in BANDS:
            band, rng = band_of(model, name), np.random.default_rng(14)
            for _ in range(40):
                true = made(band, rng, spread_over(band, 5), padder_off=-0.12)
                kinds = {d.kind for d in doubts_about(band.drawn, true.readings, through_strip=False)}
                self.assertFalse(kinds & {"station", "image", "either"})
