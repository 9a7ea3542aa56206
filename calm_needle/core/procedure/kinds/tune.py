"""tune: bring the oscillator to a frequency with one adjuster, the pointer on a mark, read by a counter. Done when inside, and at rest
with the hand away.

Where turns are known, hertz per turn are learnt on the way, and it is said how far is left; one so touchy that a degree is more than the
tolerance is called that. Where nobody counts them, which way helps is told by how the counter moves, and how near it is by the pace.
"""

import statistics
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import FINEST_DEGREES, Advice, degrees_in_words, turns_in_words, way_in_words
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.by_feel import Motion, motion_of
from calm_needle.core.procedure.kinds.kind import Offer, SaidOfTheDial, StepKind
from calm_needle.core.procedure.kinds.limits import LimitsJudge
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_plain, format_si

APART_TURNS = 0.004  # between two places that tell hertz per turn
FAR_TURNS = 0.25  # from which on it is not crept
AWAY = 1.3  # times what it was short by, a reading ago, where a person types them
NEAR_S = 3.0  # from what is reached in this time on, at the pace of now, it is turned slower
PASSES = 3  # times that it was gone past, after which no more is asked of a hand than it has shown that it can
PASSED_SHARE, SHARE_MORE = 0.4, 0.1  # of what it went past by, the middle one; so much more each further time
DEGREES, FEW_DEGREES = 360.0, 40.0
MOVED_SHARE = 1e-4  # of its frequency, beyond which it no longer stands as it was found
SET_TO_SHARE = 0.5  # of the tolerance, how well it is set


class TuneJudge(LimitsJudge):
    """aim: centre (Hz of the oscillator), tolerance (Hz), mark_hz, if_hz, sign."""

    def __init__(self, step: Step, context: Context) -> None:
        aim = step.aim
        super().__init__(step, context, low=aim["centre"] - aim["tolerance"], high=aim["centre"] + aim["tolerance"])
        self._aim, self._adjuster = aim, step.adjusters[0]
        self._places: list[tuple[float, float]] = []  # turns and hertz, where it stood
        self._per_turn: float | None = None
        self._ends: dict[int, float] = {}  # by the way it was turned, where its travel was seen to end
        self._motion = Motion(0.0, 0.0)
        self._passed: list[float] = []  # by how much (Hz) it was gone past, each time
        self._side, self._farthest_hz = 0, 0.0  # on which side of it, and how far since it was last gone past

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
        elif not seen.alone and seen.kind == "live":
            self._feel(seen)

    def _feel(self, seen: Seen) -> None:
        """Take in a reading of what is turned without anybody counting."""
        self._motion = motion_of(self._series.watched, self._motion)
        off = seen.value - self._aim["centre"]
        side = (1 if off > 0.0 else -1) if abs(off) > self._aim["tolerance"] else self._side
        if side != self._side:
            if self._side:
                self._passed.append(self._farthest_hz)
            self._side, self._farthest_hz = side, 0.0
        self._farthest_hz = max(self._farthest_hz, abs(off))
        # The first of them is how far off it was found.
        if len(self._passed) > PASSES:
            share = min(1.0, PASSED_SHARE + SHARE_MORE * (len(self._passed) - PASSES))
            self._ask_no_more_than(share * statistics.median(self._passed[1:]))

    def standing(self, moment: Moment) -> Standing:
        plain = super().standing(moment)
        now = self._series.now()
        if now is None:
            return plain
        receives_hz = now.value - self._aim["sign"] * self._aim["if_hz"]
        detail = {"receives_hz": receives_hz, "sigma_hz": SET_TO_SHARE * self._aim["tolerance"], "mark_hz": self._aim["mark_hz"]}
        newest = self._series.watched[-1]
        counted = self._adjuster in newest.turns  # it may be hidden from the program half-way
        per_turn = self._hz_per_turn() if counted else None
        if per_turn is not None:
            detail["hz_per_turn"] = per_turn
        phrase = self._what[0].upper() + self._what[1:]
        beside = format_si(abs(self._aim["centre"] - now.value), unit="Hz", digits=3)
        unmoved = f"{phrase} did not bring it there.", f"It stayed {beside} beside."
        finest = (self.high - self.low) / (2.0 * abs(per_turn)) if per_turn else None
        stood = replace(plain, detail=detail, nothing=unmoved, bring_back=self._back_to_as_found(now.value), finest_turns=finest)
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
        if per_turn is None and newest.at_stop:
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
        if newest.alone or counted:
            if self._typed_away():
                sentence = plain.advice.sentence.split(". ", maxsplit=1)[0] + ", and going away. Turn the other way."
                return replace(stood, advice=Advice("watch", "turn_back", sentence, plain.advice.evidence), move=Move("turn_back"))
            return replace(stood, move=Move("search" if len(self._places) <= 1 and self._places else "approach", short=abs(off)))
        return self._by_feel(stood)

    def _by_feel(self, stood: Standing) -> Standing:
        """What to do outside the tolerance, by how the counter moves."""
        motion, moving = self._motion, self._motion.per_s != 0.0
        off = self._aim["centre"] - self._series.watched[-1].value
        too = f"Too {'low' if off > 0.0 else 'high'} by {format_si(abs(off), unit='Hz', digits=3)}"
        near_s = abs(off / (motion.per_s or motion.last_per_s)) if motion.last_per_s else None
        if moving and motion.leads_away(off):
            advice = Advice("watch", "turn_back", f"{too}, and going away. Turn the other way.", stood.advice.evidence)
            return replace(stood, advice=advice, move=Move("turn_back", near_s=near_s))
        if not moving:
            # A tool with play moves nothing at first when it is turned back: that is no reason to turn it back again.
            ways = (
                f"Turn {self._what} either way and watch.",
                "Go on until it moves.",
                "The last turn led away. Turn the other way until it moves.",
            )
            sentence = f"{too}. {ways[bool(motion.last_per_s) + motion.leads_away(off)]}"
            return replace(stood, advice=Advice("live", "onward", sentence, stood.advice.evidence), move=Move("search"))
        sentence = f"{too}. Go on the same way{', slower: nearly there' if near_s is not None and near_s < NEAR_S else ''}."
        advice = Advice("live", "onward", sentence, stood.advice.evidence)
        return replace(stood, advice=advice, move=Move("approach", short=abs(off), near_s=near_s))

    def _back_to_as_found(self, now_hz: float) -> str:
        """What to do before it is given up, where it no longer stands as it was found."""
        found_hz = self._series.watched[0].value
        if abs(now_hz - found_hz) <= max(self.high - self.low, MOVED_SHARE * found_hz):
            return ""
        found, moved = format_plain(found_hz, unit="Hz", digits=6), format_si(abs(now_hz - found_hz), unit="Hz", digits=3)
        return f"It was found at {found} and now reads {moved} from that: bring it back first, or the band ends worse than it was found."

    def _as_near_as_a_hand_can(self) -> None:
        """Ask no more of a touchy adjuster than a hand can do."""
        per_turn = self._hz_per_turn()
        finest = FINEST_DEGREES / DEGREES * abs(per_turn) if per_turn is not None else 0.0
        self._ask_no_more_than(finest)

    def _ask_no_more_than(self, near_hz: float) -> None:
        near = max(self._aim["tolerance"], near_hz)
        self.low, self.high = self._aim["centre"] - near, self._aim["centre"] + near

    def _hz_per_turn(self) -> float | None:
        """What a turn does about here (Hz), by the last two places that lie apart; what it last did where none do, None before that."""
        if len(self._places) < 2:
            return None
        turns, hz = self._places[-1]
        for before, then_hz in reversed(self._places[:-1]):
            if abs(turns - before) >= APART_TURNS:
                slope = (hz - then_hz) / (turns - before)
                self._per_turn = slope if abs(slope) > 1.0 else None
                break
        return self._per_turn

    def _beyond_its_end(self, left: float) -> float | None:
        """How far (turns) beyond the end of its travel it would have to be turned, where that end was met; None within reach."""
        end = self._ends.get(1 if left > 0.0 else -1)
        if end is None:
            return None
        beyond = abs(left) - abs(end - self._places[-1][0])
        return beyond if beyond > APART_TURNS else None

    def _typed_away(self) -> bool:
        seen, centre = self._series.watched, self._aim["centre"]
        return len(seen) > 1 and abs(seen[-1].value - centre) > AWAY * abs(seen[-2].value - centre)


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
