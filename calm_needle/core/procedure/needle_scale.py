"""The scale of the needle: decibels from where the adjuster began."""

from typing import NamedTuple

SPANS = ((-6.0, 9.0, 3.0), (-9.0, 15.0, 3.0), (-15.0, 25.0, 5.0), (-30.0, 40.0, 10.0), (-60.0, 60.0, 20.0))


class Scale(NamedTuple):
    """Ends of the scale and its numbered step (dB)."""

    low_db: float
    high_db: float
    step_db: float


def scale_for(*, lowest_db: float, highest_db: float, goal: str = "maximum") -> Scale:
    """Return the narrowest of a few fixed scales that holds all that was seen with a tenth to spare.

    Few scales, so that it seldom changes under the eye. For a minimum the room is below zero.
    """
    low, high = (lowest_db, highest_db) if goal == "maximum" else (-highest_db, -lowest_db)
    fitting = (s for s in SPANS if low >= s[0] + 0.1 * (s[1] - s[0]) and high <= s[1] - 0.1 * (s[1] - s[0]))
    least, most, step = next(fitting, SPANS[-1])
    return Scale(least, most, step) if goal == "maximum" else Scale(-most, -least, step)
