"""Where in the band to peak the signal circuit: at the book's point, or where the owner listens, and what that costs elsewhere.

With the oscillator tracking at three points the signal tank is off by e(f), nothing at the highest of them, where its trimmer is peaked.
Peaked at another place p instead, the trimmer takes e(p) away there; a small change of it moves the tank by a part that goes with f³:
    e'(f) = e(f) - e(p) (f / p)³            loss(f) = 10 log(1 + (2 Q e / f)²)
Tracking after F. E. Terman, Radio Engineers' Handbook, 1943, sec. 9; single circuit, small detuning: good while the loss is under 20 dB.
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


def loss_db(*, error_hz: float, f_hz: float, q: float) -> float:
    """Return what a circuit of this Q loses (dB) when it is off by so much."""
    return 10.0 * math.log10(1.0 + (2.0 * q * error_hz / f_hz) ** 2)


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
    pairs = list(zip(curve.frequencies_hz, curve.errors_hz, strict=True))
    return LossCurves(
        curve.frequencies_hz,
        [loss_db(error_hz=e, f_hz=f, q=q) for f, e in pairs],
        [loss_db(error_hz=e - here * (f / own_hz) ** 3, f_hz=f, q=q) for f, e in pairs],
        loss_db(error_hz=here, f_hz=own_hz, q=q),
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
