"""A beat as a counter: which side of a known carrier something runs, and so at which frequency.

The pitch of a beat is |f - f0|, and says nothing of the side. Raise f by a little, less than the pitch, and the pitch rises where f lies
above f0 and falls where it lies below (d|x|/dx = sign x).
"""

import math
from typing import NamedTuple

from calm_needle.errors import NoAnswer, OutOfRange

LEAST_HZ = 0.1  # by which a pitch is heard at all


class BeatAgainst(NamedTuple):
    """Where what was beaten runs (Hz), how far from the carrier (Hz, ppm of it), its uncertainty (95 %, Hz; None if the
    carrier's is unknown), and the side in a word."""

    own_hz: float
    apart_hz: float
    apart_ppm: float
    uncertainty_hz: float | None
    side: str


def beat_against(
    *, known_hz: float, pitch_hz: float, raised_pitch_hz: float, sure_hz: float = LEAST_HZ, known_within_hz: float | None = None
) -> BeatAgainst:
    """Return where something runs whose beat with a known carrier has a pitch, and another after it was raised a little.

    sure_hz: of both pitches; known_within_hz: how well the carrier is known. Raises NoAnswer where the pitch changed by less than can be
    told, or by so much that it may have gone through zero; OutOfRange for what is no frequency or pitch.
    """
    if known_hz <= 0.0:
        raise OutOfRange("known_hz", shown=f"{known_hz:g} Hz", wanted="above zero")
    if min(pitch_hz, raised_pitch_hz, sure_hz, known_within_hz or 0.0) < 0.0 or pitch_hz >= known_hz:
        raise OutOfRange("pitch_hz", shown=f"{pitch_hz:g} Hz", wanted="zero or more, and far below the carrier")
    moved_hz = raised_pitch_hz - pitch_hz
    if abs(moved_hz) <= 2.0 * sure_hz:
        raise NoAnswer(
            f"beat: from {pitch_hz:.1f} to {raised_pitch_hz:.1f} Hz the pitch tells no side. Raise it a little more, and count again."
        )
    if moved_hz > pitch_hz:
        raise NoAnswer("beat: raised by more than the pitch it may have gone through zero. Put it back, raise it by less, and count again.")
    apart_hz = math.copysign(pitch_hz, moved_hz)
    sure = None if known_within_hz is None else math.hypot(sure_hz, known_within_hz)
    return BeatAgainst(known_hz + apart_hz, apart_hz, 1e6 * apart_hz / known_hz, sure, "above" if apart_hz > 0.0 else "below")
