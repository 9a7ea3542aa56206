"""Is the signal of the right strength? Below the gain control, above the noise.

Beyond its threshold the gain control flattens a peak of x dB to x / (1 + slope) dB; below the window noise wanders.
The dossier's window is in volts of the indicator, so the same rule serves any indicator.
"""

import math
from typing import NamedTuple

from calm_needle.core.quantities import format_db, format_si

STEP_DB = 2.0  # dB, a step that every generator's attenuator has
LEAST_V, MOST_V = 1e-6, 0.1  # V, what a bench generator delivers


class LevelMove(NamedTuple):
    """A new generator level (V), the change (dB), and why."""

    level_v: float
    change_db: float
    sentence: str
    evidence: str


def keep_level(*, indicator_v: float, window_v: tuple[float, float], level_v: float) -> LevelMove | None:
    """Return the level to go to when the indicator (V) is outside its window, or None while it is inside.

    Above: down to 6 dB under the upper limit. Below: up, at most to it. Steps of STEP_DB; levels in V.
    """
    low, high = window_v
    if low <= indicator_v <= high or indicator_v <= 0:
        return None
    target = max(high / 2.0, low)
    change = STEP_DB * math.floor(20.0 * math.log10(target / indicator_v) / STEP_DB)
    limited = min(max(level_v * 10.0 ** (change / 20.0), LEAST_V), MOST_V)
    change = 20.0 * math.log10(limited / level_v)
    if abs(change) < 1.0:
        return None
    shown = format_si(limited, unit="V", digits=3)
    if change < 0:
        return LevelMove(
            limited,
            change,
            f"Turn the generator down to {shown}.",
            f"{format_si(indicator_v, unit='V', digits=3)} is above {format_si(high, unit='V', digits=2)}: the gain control "
            f"flattens the peak there. {format_db(change, places=0)} dB brings it back; gains are still reckoned from the start.",
        )
    return LevelMove(
        limited,
        change,
        f"Turn the generator up to {shown}.",
        f"{format_si(indicator_v, unit='V', digits=3)} is too near the noise; {format_db(change, places=0)} dB lifts it out.",
    )
