"""tune: bring the oscillator to a frequency with one adjuster, the pointer on a mark, read by a counter. Done when inside, and at rest
with the hand away.

Where turns are known, hertz per turn are learnt on the way, and it is said how far is left; one so touchy that a degree is more than the
tolerance is called that.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import FINEST_DEGREES, Advice, degrees_in_words, turns_in_words, way_in_words
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import Offer, SaidOfTheDial, StepKind
from calm_needle.core.procedure.kinds.limits import LimitsJudge
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si

APART_TURNS = 0.004  # between two places that tell hertz per turn
FAR_TURNS = 0.25  # from which on it is not crept
AWAY = 1.3  # times what it was short by, a moment ago
AWAY_S = 0.7
DEGREES, FEW_DEGREES = 360.0, 40.0
SET_TO_SHARE = 0.5  # of the tolerance, how well it is set


class TuneJudge(LimitsJudge):
    """aim: centre (Hz of the oscillator), tolerance (Hz), mark_hz, if_hz, sign."""

    def __init__(self, step: Step, context: Context) -> None:
        aim = step.aim
        super().__init__(step, context, low=aim["centre"] - aim["tolerance"], high=aim["centre"] + aim["tolerance"])
        self._aim, self._adjuster = aim, step.adjusters[0]
        self._places: list[tuple[float, float]] = []  # turns and hertz, where it stood
        self._ends: dict[int, float] = {}  # by the way it was turned, where its travel was seen to end

    def add(self, seen: Seen) -> None:
        turns = seen.turns.get(self._adjuster)
        if turns is not None and seen.kind in ("live", "typed"):
            if seen.at_stop and self._places and abs(self._places[-1][0] - turns) > 1e-6:
                self._ends[1 if turns > self._places[-1][0] else -1] = turns
            if self._places and abs(self._places[-1][0] - turns) < 1e-6:
                self._places[-1] = turns, seen.value
            else:
                self._places.append((turns, seen.value))
            self._as_near_as_a_hand_can()

    def standing(self, moment: Moment) -> Standing:
        plain = super().standing(moment)
        now = self._series.now()
        if now is None:
            return plain
        receives_hz = now.value - self._aim["sign"] * self._aim["if_hz"]
        detail = {"receives_hz": receives_hz, "sigma_hz": SET_TO_SHARE * self._aim["tolerance"], "mark_hz": self._aim["mark_hz"]}
        per_turn = self._hz_per_turn()
        if per_turn is not None:
            detail["hz_per_turn"] = per_turn
        phrase = self._what[0].upper() + self._what[1:]
        beside = format_si(abs(self._aim["centre"] - now.value), unit="Hz", digits=3)
        unmoved = f"{phrase} did not bring it there.", f"It stayed {beside} beside."
        finest = (self.high - self.low) / (2.0 * abs(per_turn)) if per_turn else None
        stood = replace(plain, detail=detail, nothing=unmoved, finest_turns=finest)
        off = self._aim["centre"] - now.value
        if self.low <= now.value <= self.high:
            return stood
        if per_turn is not None and (beyond := self._beyond_its_end(off / per_turn)) is not None:
            too = plain.advice.sentence.split(". ", maxsplit=1)[0]
            advice = Advice(
                "watch",
                "stop",
                f"{too}, and the travel of {self._what} ends {_amount(beyond).removeprefix('about ')} short of it.",
                f"Press X: it cannot be brought there. Something else of this circuit is off by more than {self._what} can take up.",
            )
            return replace(stood, advice=advice, move=Move("turn_back"))
        if per_turn is None and self._series.watched[-1].at_stop:
            too = plain.advice.sentence.split(". ", maxsplit=1)[0]
            words = "Turn the other way. If it stops both ways, or no tool moves it, say so: the others are then set without it."
            advice = Advice("watch", "stop", f"{too}, and {self._what} is at its stop or does not move.", words)
            return replace(stood, advice=advice, move=Move("turn_back"))
        if per_turn is not None:
            left = off / per_turn
            touchy = abs(per_turn) / DEGREES > self._aim["tolerance"]
            degree, turn = (format_si(v, unit="Hz", digits=2) for v in (abs(per_turn) / DEGREES, abs(per_turn)))
            words = f"{degree} a degree, {turn} a turn here."
            if touchy:
                words += " Touchy: move it by a hair, take the hand away, and look."
            too = plain.advice.sentence.split(". ", maxsplit=1)[0]
            sentence = f"{too}. Turn {self._what} {way_in_words(left)}, {_amount(left)}."
            advice = Advice("live", "onward", sentence, words)
            return replace(
                stood, advice=advice, move=Move("turn_back" if abs(left) > FAR_TURNS else "approach", turns=left, short=abs(off))
            )
        if self._going_away():
            sentence = plain.advice.sentence.split(". ", maxsplit=1)[0] + ", and going away. Turn the other way."
            return replace(stood, advice=Advice("watch", "turn_back", sentence, plain.advice.evidence), move=Move("turn_back"))
        return replace(stood, move=Move("search" if len(self._places) <= 1 and self._places else "approach", short=abs(off)))

    def _as_near_as_a_hand_can(self) -> None:
        """Ask no more of a touchy adjuster than a hand can do."""
        per_turn = self._hz_per_turn()
        finest = FINEST_DEGREES / DEGREES * abs(per_turn) if per_turn is not None else 0.0
        near = max(self._aim["tolerance"], finest)
        self.low, self.high = self._aim["centre"] - near, self._aim["centre"] + near

    def _hz_per_turn(self) -> float | None:
        """What a turn does about here (Hz), by the last two places that lie apart; None before it is known."""
        if len(self._places) < 2:
            return None
        turns, hz = self._places[-1]
        for before, then_hz in reversed(self._places[:-1]):
            if abs(turns - before) >= APART_TURNS:
                slope = (hz - then_hz) / (turns - before)
                return slope if abs(slope) > 1.0 else None
        return None

    def _beyond_its_end(self, left: float) -> float | None:
        """How far (turns) beyond the end of its travel it would have to be turned, where that end was met; None within reach."""
        end = self._ends.get(1 if left > 0.0 else -1)
        if end is None:
            return None
        beyond = abs(left) - abs(end - self._places[-1][0])
        return beyond if beyond > APART_TURNS else None

    def _going_away(self) -> bool:
        seen, centre = self._series.watched, self._aim["centre"]
        before = next((r for r in reversed(seen) if seen[-1].t_s - r.t_s >= AWAY_S), seen[0] if seen[-1].alone else None)
        return before is not None and abs(seen[-1].value - centre) > AWAY * abs(before.value - centre)


def _amount(left: float) -> str:
    """How far that is: of what is touchy in degrees, for a hair is too much."""
    return f"about {degrees_in_words(left) if abs(left) * DEGREES < FEW_DEGREES else turns_in_words(left)}"


def report(detail: Mapping[str, Any]) -> str:
    """Return how it reads in the record."""
    return {
        "inside": "brought to its frequency",
        "settling": "brought there, not seen to stay",
        "wandering": "brought there, it wanders",
    }.get(detail["verdict"], "left beside it")


def said_of_the_dial(_: Step, detail: Mapping[str, Any]) -> SaidOfTheDial | None:
    """Return where the set received, and how surely (Hz)."""
    return SaidOfTheDial(detail["receives_hz"], detail["sigma_hz"]) if "receives_hz" in detail else None


def offers(_: Step) -> tuple[Offer, ...]:
    """Return what else may be said of an adjuster: that it does not bring the oscillator there."""
    return (Offer("no_peak", "It cannot be brought there", "X"),)


KIND = StepKind(
    "tune",
    "Bring to frequency",
    TuneJudge,
    sign="limits",
    reads="offset",
    needs=("indicator", "adjusters", "aim.centre", "aim.tolerance", "aim.mark_hz", "aim.if_hz", "aim.sign"),
    offers=offers,
    report=report,
    dial=said_of_the_dial,
)
