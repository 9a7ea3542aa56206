"""Advice: one imperative sentence and one line of evidence, with a tone and a sign."""

from dataclasses import dataclass
from typing import Literal

Tone = Literal["calm", "live", "watch", "good", "danger"]
# A shape of our own for each meaning, so that colour never speaks alone.
Sign = Literal[
    "eye", "onward", "turn_back", "crest", "nothing", "stop", "humps", "wander", "level", "set", "measure", "round", "unplugged", "clock"
]

_FRACTIONS = (
    (0.03, "a hair"),
    (0.075, "a twentieth of a turn"),
    (0.11, "a tenth of a turn"),
    (0.145, "an eighth of a turn"),
    (0.18, "a sixth of a turn"),
    (0.225, "a fifth of a turn"),
    (0.29, "a quarter of a turn"),
    (0.4, "a third of a turn"),
    (0.6, "half a turn"),
    (0.85, "three quarters of a turn"),
    (1.25, "a turn"),
)


@dataclass(frozen=True)
class Advice:
    """One line to act on, one line of why."""

    tone: Tone
    sign: Sign
    sentence: str
    evidence: str


FINEST_DEGREES = 0.1  # to which a hand sets an adjuster, with a long tool


def turns_in_words(turns: float) -> str:
    """Return an amount of turning as one would say it at the bench; the sign is left to the sentence.

    >>> turns_in_words(-0.2), turns_in_words(2.1)
    ('a fifth of a turn', '2.1 turns')
    """
    amount = abs(turns)
    return next((words for limit, words in _FRACTIONS if amount < limit), f"{amount:.1f} turns")


def degrees_in_words(turns: float) -> str:
    """Return an amount of turning of what goes through all in half a turn; the sign is left to the sentence.

    >>> degrees_in_words(-0.2), degrees_in_words(0.002), degrees_in_words(0.0)
    ('72°', '0.7°', '0.1°')
    """
    degrees = abs(turns) * 360.0
    return f"{degrees:.0f}°" if degrees >= 1.0 else f"{max(degrees, FINEST_DEGREES):.1f}°"


def way_in_words(turns: float) -> str:
    """Return which way a signed amount of turning goes; positive is clockwise."""
    return "clockwise" if turns > 0 else "anticlockwise"
