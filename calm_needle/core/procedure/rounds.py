"""Would another round gain anything? Judged from what each adjuster gained, or changed, in each round.

Of a coupled pair's cores it follows from what they were off (core.procedure.forecast). Of anything else from the shrink seen between the
last two rounds; before there are two, SHRINK_UNSEEN.
"""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import RoundRule
from calm_needle.core.procedure.forecast import FlatTop, Pair, flat_tops, forecast
from calm_needle.core.quantities import format_db, format_si

ASIDE = 0.05  # half bandwidths by which a core may be left to one side of its place
FLAT = 0.2  # half bandwidths: with a centre less sure than that, peaking core by core has told what it can
SHRINK_UNSEEN = 0.3  # of the last round's gain, assumed before it has been seen; kappa = 0.75 gives 0.1 to 0.32
TIMES_WANDER = 2.0
SHRINK_BEST, SHRINK_WORST = 0.1, 0.9  # bounds, since single rounds scatter


class Gain(NamedTuple):
    """What one adjuster gained in one round (in the rule's unit; decibels at equal generator level; of anything else, how far it was
    moved), None when passed over; the needle's wander meanwhile."""

    adjuster: str
    gain: float | None
    wander: float = 0.0

    @property
    def sure_gain(self) -> float:
        """The gain as far as it is more than wander: four cores must not gain by luck what none of them gained in truth."""
        return self.gain if self.gain is not None and self.gain > TIMES_WANDER * self.wander else 0.0


class RoundsVerdict(NamedTuple):
    """Whether to go round again, what that would gain (in the rule's unit), and why, in a sentence with its figures."""

    go_on: bool
    expected: float
    sentence: str
    evidence: str
    flat: FlatTop | None = None


def judge_rounds(
    rounds: Sequence[Sequence[Gain]], *, rule: RoundRule, noun: str = "cores", strip: str = "strip", pairs: Sequence[Pair] = ()
) -> RoundsVerdict:
    """Return whether another round is worth it. rounds: one or more, each with its adjusters. noun, strip: what they are called.
    pairs: those of the adjusters that are coupled, named as the gains name them.

    A loss counts as nothing gained: an adjuster that was left lower than it began was not peaked, and one more round is asked for.
    """
    worth, most_rounds = rule.below, rule.most_rounds
    totals = [sum(max(0.0, c.sure_gain) for c in cores) for cores in rounds]
    lost = [c for c in rounds[-1] if c.gain is not None and c.gain < -max(worth, 2.0 * TIMES_WANDER * c.wander)]
    last = totals[-1]
    shrink = min(max(last / totals[-2], SHRINK_BEST), SHRINK_WORST) if len(totals) > 1 and totals[-2] > 0 else SHRINK_UNSEEN
    left = forecast({c.adjuster: c.sure_gain for c in rounds[-1] if c.gain is not None}, pairs) if rule.unit == "dB" else None
    expected = left.left_db if left else last * shrink
    tops = flat_tops({c.adjuster: (c.gain, c.wander) for c in rounds[-1] if c.gain is not None}, pairs) if rule.unit == "dB" else []
    flat = max((t for t in tops if t.off_u95 > FLAT), key=lambda t: t.off_u95, default=None)
    gained = "Gained" if rule.unit == "dB" else "Moved"
    shown = [sum(round(c.gain, 2) if rule.unit == "dB" else c.gain for c in cores if c.gain is not None) for cores in rounds]
    evidence = f"{gained} per round: " + ", ".join(_shown(t, rule.unit, signed=True) for t in shown) + "."
    if rule.unit == "dB" and shown[-1] - last > worth:
        evidence += f" Of the last, {last:.2f} dB is more than the needle’s wander."
    if all(c.gain is None for c in rounds[-1]):
        return RoundsVerdict(
            False,
            0.0,
            f"None of the {noun} was set in this round.",
            f"How well the {strip} stands is not known from it; go on, or round once more.",
        )
    if len(rounds) >= most_rounds:
        return RoundsVerdict(False, expected, f"This was round {len(rounds)}, the most the procedure asks for. Stop here.", evidence)
    if lost:
        names = " and ".join(c.adjuster for c in lost)
        return RoundsVerdict(True, expected, f"Go round once more: {names} ended lower than it began.", evidence)
    if len(rounds) == 1 and expected < worth and all(c.sure_gain < worth for c in rounds[-1]):
        right = "on its peak" if rule.unit == "dB" else "in its place"
        one = noun[:-1] if noun.endswith("s") else noun
        if flat:
            sentence = _flat_sentence(f"Every {one} gains nothing.", flat)
            return RoundsVerdict(False, expected, sentence, f"{evidence} {_flat_why(flat)}", flat)
        return RoundsVerdict(False, expected, f"Every {one} was {right} already. The {strip} was found right; leave it.", evidence)
    # Once: in a later round so small a gain is as likely the needle's unrest.
    aside = max(left.off.items(), key=lambda pair: pair[1]) if left and len(rounds) == 1 else None
    if expected < worth and aside and aside[1] > ASIDE:
        return RoundsVerdict(
            True,
            expected,
            f"Go round once more, for the centre: {aside[0]} was peaked while one of its cores stood off.",
            f"{evidence} It would gain only {expected:.2f} dB, but its first core is left {aside[1]:.2f} half bandwidths to one side.",
        )
    if expected < worth and flat:
        return RoundsVerdict(False, expected, _flat_sentence("Another round gains nothing.", flat), f"{evidence} {_flat_why(flat)}", flat)
    if expected < worth:
        gain = "gain" if rule.unit == "dB" else "move"
        return RoundsVerdict(
            False,
            expected,
            f"Another round would {gain} about {_figure(expected, rule.unit, places=2)}, less than the "
            f"{_figure(worth, rule.unit)} that counts. Stop here.",
            f"{evidence} {_why(left.by_pair)}" if left else f"{evidence} What is left shrinks to about {100 * shrink:.0f} % each time.",
        )
    more = f"about {_figure(expected, rule.unit, places=1)} more is to be had" if rule.unit == "dB" else "they have not come to rest"
    return RoundsVerdict(True, expected, f"Go round again: {more}, because the {noun} pull on each other.", evidence)


def _flat_sentence(first: str, flat: FlatTop) -> str:
    return f"{first} The top of {flat.name} is flat: only the pass-band, measured at the end, shows its centre."


def _flat_why(flat: FlatTop) -> str:
    """How far off centre it may be, as far as peaking shows."""
    return (
        f"Peaking leaves its centre uncertain by ± {flat.off_u95:.2f} half bandwidths (95 %): both cores can be off to one side together, "
        "and the needle hardly shows it."
    )


def _why(by_pair: Mapping[str, float]) -> str:
    """What is left in each pair, and how that is known."""
    left = ", ".join(f"{name} {value:.2f} dB" for name, value in by_pair.items())
    return f"Left, by how far off each core was while its partner was peaked: {left}. The sweep at the end confirms it."


def _shown(value: float, unit: str, *, signed: bool = False) -> str:
    return f"{format_db(value, places=2)} dB" if unit == "dB" else format_si(value, unit=unit, digits=3)


def _figure(value: float, unit: str, places: int | None = None) -> str:
    if unit != "dB":
        return format_si(value, unit=unit, digits=2)
    return f"{value:g} dB" if places is None else f"{value:.{places}f} dB"
