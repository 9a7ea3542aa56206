"""Which guided work the evidence asks for: each thing that was found speaks for a piece or two, and the weights of one subject add up.

The weights are the trade's rules of thumb, in natural logs of odds, as in `which_can`; they only order what is offered.
"""

from collections.abc import Iterable, Mapping
from typing import Literal, NamedTuple

Points = Literal[
    "winding open",
    "winding high",
    "no answer",
    "answers without a peak",
    "does not repeat",
    "sags warm",
    "rail out",
    "emission low",
    "gang touches",
    "gang unequal",
    "unmarked",
    "padder off",
    "answers to nothing known",
]
POINTS_TO: Mapping[Points, tuple[tuple[str, float], ...]] = {
    "winding open": (("splice", 3.0), ("rewind", 2.4)),
    "winding high": (("splice", 2.0),),
    "no answer": (("open-capacitor", 2.6), ("will-not-peak", 1.2)),
    "answers without a peak": (("will-not-peak", 0.6),),
    "answers to nothing known": (("which-can", 1.5), ("will-not-peak", 1.2)),
    "does not repeat": (("contact", 2.6), ("will-not-peak", 1.6)),
    "sags warm": (("warm-valve", 2.2), ("will-not-peak", 0.6)),
    "rail out": (("will-not-peak", 0.8),),
    "emission low": (("substitute", 2.4),),
    "gang touches": (("gang", 1.4),),
    "gang unequal": (("gang", 1.8),),
    "unmarked": (("which-can", 2.0),),
    "padder off": (("made-adjustable", 1.8),),
}
# Which work has one subject; for the others all that speaks for them adds up, but for what says no more by being said again: of
# cores that move the needle and have no peak, three say what one does; of electrodes on one low rail too.
SAID_ONCE = ("answers without a peak", "rail out")
OF_ONE = ("splice", "rewind", "open-capacitor", "donor-coil")


class Evidence(NamedTuple):
    """Something that was found: what it points to, the part it is about (empty for none), and how one says it."""

    points: Points
    subject: str
    words: str


class Offer(NamedTuple):
    """A piece of work that is asked for: its name, the part it is about, why, and how strongly."""

    piece: str
    subject: str
    because: tuple[str, ...]
    weight: float


def offers(found: Iterable[Evidence]) -> list[Offer]:
    """Return what the evidence asks for, the strongest first; of equal ones that which was found first."""
    weights: dict[tuple[str, str], float] = {}
    because: dict[tuple[str, str], list[str]] = {}
    counted: set[tuple[tuple[str, str], Points]] = set()
    for evidence in found:
        for piece, weight in POINTS_TO[evidence.points]:
            key = (piece, evidence.subject if piece in OF_ONE else "")
            if evidence.points not in SAID_ONCE or (key, evidence.points) not in counted:
                weights[key] = weights.get(key, 0.0) + weight
                counted.add((key, evidence.points))
            because.setdefault(key, []).append(evidence.words)
    ranked = sorted(weights, key=lambda k: -weights[k])
    return [Offer(*key, tuple(dict.fromkeys(because[key])), weights[key]) for key in ranked]
