"""Where in the band to peak the signal circuit: at the book's point, or where the owner listens, and what that costs elsewhere.

With the oscillator tracking at three points the signal tank is off by e(f), nothing at the highest of them, where its trimmer is peaked.
Peaked at another place p instead, the trimmer is so much more, or less, that the tank stands at p there; with it the whole tank moves:
    C(f) = 1 / (L (2π (f + e))²)        trimmer: 1 / (L (2π p)²) - C(p)        loss(f) = 10 log(1 + Q² (f/f0 - f0/f)²)
Tracking after F. E. Terman, Radio Engineers' Handbook, 1943, sec. 9; a single circuit, whose Q is the same all over the band.
"""

import math
from typing import NamedTuple

from calm_needle.core.physics.tracking import error_curve, three_point
from calm_needle.errors import OutOfRange

POINTS = 161


class PeakPlace(NamedTuple):
    """What peaking elsewhere gains there (dB), the most that is lost with it and where (dB, Hz), and what the book loses there (dB)."""

    gained_db: float
    worst_db: float
    worst_hz: float
    book_there_db: float
    worst_book_db: float


class LossCurves(NamedTuple):
    """Loss over the band, by the book and peaked elsewhere: frequencies (Hz), decibels; and what the book loses at that other place."""

    frequencies_hz: list[float]
    book_db: list[float]
    own_db: list[float]
    book_at_own_db: float


def loss_db(*, f0_hz: float, f_hz: float, q: float) -> float:
    """Return what a circuit of this Q that stands at f0_hz loses (dB) at f_hz."""
    return 10.0 * math.log10(1.0 + (q * (f_hz / f0_hz - f0_hz / f_hz)) ** 2)


def loss_curves(
    *, f1_hz: float, f2_hz: float, f3_hz: float, if_hz: float, l_rf_h: float, f_low_hz: float, f_high_hz: float, q: float, own_hz: float
) -> LossCurves:
    """Return the loss over the band (Hz) with the trimmer peaked at f3_hz, and with it peaked at own_hz.

    Raises OutOfRange for own_hz outside the band, and what three_point() raises.
    """
    if not f_low_hz <= own_hz <= f_high_hz:
        raise OutOfRange("own_hz", shown=f"{own_hz / 1e3:g} kHz", wanted="inside the band, from f_low_hz to f_high_hz")
    band = {"if_hz": if_hz, "l_rf_h": l_rf_h}
    parts = three_point(f1_hz=f1_hz, f2_hz=f2_hz, f3_hz=f3_hz, f_low_hz=f_low_hz, f_high_hz=f_high_hz, **band)
    curve = error_curve(parts=parts, f_low_hz=f_low_hz, f_high_hz=f_high_hz, points=POINTS, **band)
    here = error_curve(parts=parts, f_low_hz=own_hz, f_high_hz=own_hz * 1.0001, points=2, **band).errors_hz[0]

    def tank_f(f0_hz: float) -> float:
        return 1.0 / (l_rf_h * (2.0 * math.pi * f0_hz) ** 2)

    trimmer_f = tank_f(own_hz) - tank_f(own_hz + here)
    tanks = [(f, f + e, 1.0 / (2.0 * math.pi * math.sqrt(l_rf_h * (tank_f(f + e) + trimmer_f)))) for f, e in zip(*curve[:2], strict=True)]
    return LossCurves(
        curve.frequencies_hz,
        [loss_db(f0_hz=book, f_hz=f, q=q) for f, book, _ in tanks],
        [loss_db(f0_hz=own, f_hz=f, q=q) for f, _, own in tanks],
        loss_db(f0_hz=own_hz + here, f_hz=own_hz, q=q),
    )


def peak_place(
    *, f1_hz: float, f2_hz: float, f3_hz: float, if_hz: float, l_rf_h: float, f_low_hz: float, f_high_hz: float, q: float, own_hz: float
) -> PeakPlace:
    """Return what is gained at own_hz, and lost elsewhere, by peaking there and not at f3_hz. Arguments as in loss_curves()."""
    curves = loss_curves(
        f1_hz=f1_hz, f2_hz=f2_hz, f3_hz=f3_hz, if_hz=if_hz, l_rf_h=l_rf_h, f_low_hz=f_low_hz, f_high_hz=f_high_hz, q=q, own_hz=own_hz
    )
    worst = max(range(POINTS), key=curves.own_db.__getitem__)
    most, where, there = curves.own_db[worst], curves.frequencies_hz[worst], curves.book_db[worst]
    return PeakPlace(curves.book_at_own_db, most, where, there, max(curves.book_db))
