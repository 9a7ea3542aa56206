"""Which can is which? A hypothesis from clues, held as one until an injected signal confirms it; cores of the other system are left alone.

Each clue speaks for or against a role by a weight of evidence (natural log of the odds it makes); the weights are the trade's rules of
thumb, and only injection settles it.
"""

import math

from calm_needle.core.quantities import format_si
from calm_needle.core.soundness.guided.piece import Answers, Ask, Piece, Stage
from calm_needle.core.verdict import Verdict

ROLES = ("oscillator", "first IF transformer", "last IF transformer", "transformer of the other system")
# Clue and answer to what it says of each role, in the order of ROLES.
WEIGHTS: dict[tuple[str, str], tuple[float, float, float, float]] = {
    ("beside", "the gang"): (2.0, -1.0, -2.0, -0.5),
    ("beside", "the mixer"): (0.5, 1.8, -1.5, 0.0),
    ("beside", "the detector"): (-2.0, -1.5, 2.0, 0.0),
    ("beside", "nothing that tells"): (0.0, 0.0, 0.0, 0.0),
    ("leads", "two or three"): (1.0, -0.5, -0.5, -0.3),
    ("leads", "four"): (-0.7, 0.6, 0.2, 0.3),
    ("leads", "five or more"): (0.0, -0.2, 0.8, 0.3),
    ("turns_seen", "few, thick wire"): (1.2, -1.5, -1.5, 1.5),
    ("turns_seen", "many, fine wire"): (-0.8, 0.8, 0.8, -1.5),
    ("turns_seen", "hidden"): (0.0, 0.0, 0.0, 0.0),
}
SURE = 0.8
ANSWERS_DB = 1.0  # what a core that tunes the injected signal changes in a quarter turn


def likelihoods(clues: dict[str, str]) -> dict[str, float]:
    """Return the chance of each role after the clues, all roles being as likely before; the sum is 1."""
    logs = [sum(WEIGHTS.get((name, value), (0.0,) * 4)[i] for name, value in clues.items()) for i in range(len(ROLES))]
    total = sum(math.exp(x) for x in logs)
    return {role: math.exp(x) / total for role, x in zip(ROLES, logs, strict=True)}


def _clues(a: Answers) -> Verdict:
    chances = likelihoods({name: a.text(name) for name in ("beside", "leads", "turns_seen")})
    ordered = sorted(chances, key=lambda role: -chances[role])
    evidence = tuple(f"{role}: {100 * chances[role]:.0f}\u00a0%" for role in ordered)
    best = ordered[0]
    if chances[best] >= SURE:
        return Verdict("watch", f"Probably the {best}. A hypothesis until a signal confirms it: mark it so on the map.", evidence)
    return Verdict("watch", f"Perhaps the {best}, perhaps the {ordered[1]}: do not turn it before a signal has told.", evidence)


def _injected(a: Answers) -> Verdict:
    change = abs(a.number("change_db"))
    signal = format_si(a.number("signal_hz"), unit="Hz")
    evidence = (f"{change:.1f} dB for a quarter turn, at {signal}",)
    if change >= ANSWERS_DB:
        return Verdict("good", f"It answers at {signal}: it belongs to what is being aligned. Turn it back to its mark.", evidence)
    return Verdict(
        "stop",
        f"It does not answer at {signal}: of the other system, or not what it seemed. Back to its mark, and leave it alone.",
        evidence,
    )


def _choices(name: str) -> tuple[str, ...]:
    return tuple(value for clue, value in WEIGHTS if clue == name)


PIECE = Piece(
    "which-can",
    "Which can is which?",
    "nothing is marked, or the cores of two systems stand in one row",
    (
        Stage(
            "clues",
            "What is seen",
            "Neighbours, leads and wire, before anything is turned.",
            (
                Ask("label", "Its label on the map", known="label"),
                Ask("beside", "It stands beside", choices=_choices("beside")),
                Ask("leads", "Leads", choices=_choices("leads")),
                Ask("turns_seen", "Winding", choices=_choices("turns_seen")),
            ),
            _clues,
        ),
        Stage(
            "injected",
            "What a signal says",
            "A quarter turn and back, its place marked before, with a signal of the system being aligned.",
            (Ask("signal_hz", "Signal", "Hz"), Ask("change_db", "A quarter turn changed the reading by", "dB")),
            _injected,
        ),
    ),
    follow=("its role written on the chassis map",),
)
