"""Would another round gain anything? Judged from what each core gained in each round.

Cores of a transformer pull on each other: the crest of one moves by kappa^2 times the error left in its partner
(core.physics.coupling), so what is left to gain shrinks from round to round by about kappa^4, and by the square of that in
decibels. The shrink seen between the last two rounds is used; before there are two, SHRINK_UNSEEN.
"""

from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.quantities import format_db

SHRINK_UNSEEN = 0.3  # of the last round's gain, assumed before it has been seen; kappa = 0.75 gives 0.1 to 0.32
TIMES_WANDER = 2.0
SHRINK_BEST, SHRINK_WORST = 0.1, 0.9  # bounds, since single rounds scatter


class CoreGain(NamedTuple):
    """What one core gained in one round (dB, at equal generator level), None when passed over; the needle's wander meanwhile (dB)."""

    adjuster: str
    gain_db: float | None
    wander_db: float = 0.0

    @property
    def sure_gain_db(self) -> float:
        """The gain as far as it is more than wander: four cores must not gain by luck what none of them gained in truth."""
        return self.gain_db if self.gain_db is not None and self.gain_db > TIMES_WANDER * self.wander_db else 0.0


class RoundsVerdict(NamedTuple):
    """Whether to go round again, what that would gain (dB), and why, in a sentence with its figures."""

    go_on: bool
    expected_db: float
    sentence: str
    evidence: str


def judge_rounds(rounds: Sequence[Sequence[CoreGain]], *, worth_db: float, most_rounds: int) -> RoundsVerdict:
    """Return whether another round is worth it. rounds: one or more, each with its cores. worth_db, most_rounds: the dossier's.

    A loss counts as nothing gained: a core that was left lower than it began was not peaked, and one more round is asked for.
    """
    totals = [sum(max(0.0, c.sure_gain_db) for c in cores) for cores in rounds]
    lost = [c for c in rounds[-1] if c.gain_db is not None and c.gain_db < -max(worth_db, 2.0 * TIMES_WANDER * c.wander_db)]
    last = totals[-1]
    shrink = min(max(last / totals[-2], SHRINK_BEST), SHRINK_WORST) if len(totals) > 1 and totals[-2] > 0 else SHRINK_UNSEEN
    expected = last * shrink
    evidence = "Gained per round: " + ", ".join(f"{format_db(t, places=2)} dB" for t in totals) + "."
    if len(rounds) >= most_rounds:
        return RoundsVerdict(False, expected, f"This was round {len(rounds)}, the most the procedure asks for. Stop here.", evidence)
    if lost:
        names = " and ".join(c.adjuster for c in lost)
        return RoundsVerdict(True, expected, f"Go round once more: {names} ended lower than it began.", evidence)
    if len(rounds) == 1 and last < worth_db:
        return RoundsVerdict(False, expected, "Every core was on its peak already. The strip was found right; leave it.", evidence)
    if expected < worth_db:
        return RoundsVerdict(
            False,
            expected,
            f"Another round would gain about {expected:.2f} dB, less than the {worth_db:g} dB that counts. Stop here.",
            evidence + f" What is left shrinks to about {100 * shrink:.0f} % each time.",
        )
    return RoundsVerdict(
        True, expected, f"Go round again: about {expected:.1f} dB more is to be had, because the cores pull on each other.", evidence
    )
