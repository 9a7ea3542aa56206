"""What peak, null and alternate share: one adjuster turned for the highest or lowest level, watched by the peak watch."""

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Adjuster, Model, Step
from calm_needle.core.procedure.advice import Advice, degrees_in_words, turns_in_words, way_in_words
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import Offer
from calm_needle.core.procedure.series import Seen
from calm_needle.core.procedure.watch.peak_watch import HANDS_OFF_S as HANDS_OFF_S
from calm_needle.core.procedure.watch.peak_watch import TURNED_BACK, Goal, PeakWatch, Verdict
from calm_needle.core.quantities import format_db

METER_LAG_S = 0.1  # how far a meter that the program reads is behind, by its averaging
CORE_TURNS, SHORT_TURNS = 12.0, 4.0  # of travel: of a core, which the watch's turns are those of; and what goes through all in less
FINEST = 8.0
HARDLY_DB = 0.05  # between two readings that a person types
SAME_CAN_MM = 6.0  # cores this near each other are in one can, seen from two sides
NEEDS_READING = "There is no reading yet to take. Read the meter first."

_TIMES = ("", "once", "twice", *(f"{n} times" for n in ("three", "four", "five", "six", "seven", "eight", "nine", "ten")))
TURN_BACK_KEY, HANDS_OFF_KEY = "C", "H"


def level_offers(step: Step) -> tuple[Offer, ...]:
    """The acts beside taking: the hand turns back; it is off; no peak is there; the wax was cleared."""
    return (
        Offer("turn_back", "Turning back now", TURN_BACK_KEY, when="blind"),
        Offer("hands_off", "Hands off", HANDS_OFF_KEY, when="blind"),
        Offer("no_peak", "No peak", "X"),
        Offer("clear_wax", "Wax cleared", "W", when="slipping"),
    )


class LevelJudge:
    """Judges a maximum or a minimum of the level over one adjuster."""

    def __init__(self, step: Step, context: Context, *, goal: Goal = "maximum") -> None:
        self._series = context.series
        self._adjuster, self._unsure_db = step.adjusters[0], 0.0
        adjuster = context.model.adjuster(self._adjuster)
        self._watch, self._finer = PeakWatch(goal=goal), finer(adjuster)
        self._words = Words(adjuster.phrase, goal, adjuster.remarks, short=self._finer > 1.0)

    def add(self, seen: Seen) -> None:
        if seen.kind not in ("live", "typed"):
            return
        turns = seen.turns.get(self._adjuster)
        if self._series.settling or self._series.beginning:
            self._watch.stood(time_s=seen.t_s, turns=None if turns is None else self._finer * turns)
            return
        if self._series.unsure_db > self._unsure_db:
            self._watch.joined(unsure_db=self._series.unsure_db - self._unsure_db)
            self._unsure_db = self._series.unsure_db
        self._watch.add(
            level_db=self._series.measure(seen),
            time_s=seen.t_s,
            turns=None if turns is None else self._finer * turns,
            way=seen.way,
            at_stop=seen.at_stop,
            lag_s=0.0 if seen.alone else METER_LAG_S,
            alone=seen.alone,
        )

    def standing(self, moment: Moment) -> Standing:
        verdict, words = in_own_turns(self._watch.verdict(), self._finer), self._words
        now, start = self._series.now(), self._series.start()
        nothing = no_peak_finding(words.phrase, verdict)
        if now is None:
            return Standing("waiting", words.advice(verdict), Move("search"), refusal=NEEDS_READING, nothing=nothing)
        detail: dict[str, Any] = {
            "gain_db": now.measure - (now.measure if start is None else start),
            "evidence": verdict.evidence,
            "fall_db": [verdict.rise_db, verdict.fall_db],
            "wander_db": verdict.wander_db,
            "by_itself_db": verdict.span_db,
        }
        seen = verdict.evidence != "none"
        typed = [self._series.measure(r) for r in self._series.watched[-2:] if r.alone]
        return Standing(
            verdict.kind,
            words.few(typed) if verdict.kind == "waiting" and typed else words.advice(verdict, start_db=start),
            _move(verdict),
            may_take=verdict.may_take,
            doubt=why_not_sure(verdict),
            marks=Marks(None if verdict.kind == "waiting" else verdict.crest_db, verdict.crest_time_s, seen),
            figure=Figure(detail["gain_db"], verdict.wander_db or None, "dB"),
            detail=detail,
            nothing=nothing,
        )


def finer(adjuster: Adjuster) -> float:
    """Return how many turns of a core one of this adjuster is worth: a trimmer goes through all in half a turn, and a crest in degrees."""
    travel = adjuster.travel_turns
    return min(FINEST, CORE_TURNS / travel) if travel and travel <= SHORT_TURNS else 1.0


def in_own_turns(verdict: Verdict, times: float) -> Verdict:
    """Return a verdict in turns of the adjuster itself; times: as finer() has it."""

    def own(turns: float | None) -> float | None:
        return None if turns is None else turns / times

    return replace(verdict, turns_to_crest=own(verdict.turns_to_crest), turns_error=own(verdict.turns_error), turned=own(verdict.turned))


def _move(verdict: Verdict) -> Move:
    match verdict.kind:
        case "crest" | "twice" | "hold" | "hands_off" | "by_itself":
            return Move("rest")
        case "past" if verdict.turns_to_crest is None:
            return Move("turn_back", short=verdict.gain_left_db or 0.0)
        case "falling" | "end_stop":
            return Move("turn_back", verdict.turns_to_crest)
        case "past" | "return" | "through":
            return Move("approach", verdict.turns_to_crest, verdict.gain_left_db or 0.0)
        case "slips":
            return Move("slipping")
    return Move("search")


class Words(NamedTuple):
    """How one adjuster's watching is worded. phrase: how a sentence names it. remarks: what the dossier says of it. short: it goes through
    all in a turn or so, and is spoken of in degrees."""

    phrase: str
    goal: Goal = "maximum"
    remarks: str = ""
    short: bool = False

    def amount(self, turns: float) -> str:
        """Return how much turning that is, as one says it of this adjuster."""
        return degrees_in_words(turns) if self.short else turns_in_words(turns)

    def advice(self, verdict: Verdict, *, start_db: float | None = None) -> Advice:
        """Return the advice for a verdict. start_db: level at the first reading."""
        peak = self.goal == "maximum"
        up, down = ("Rising", "Falling") if peak else ("Falling, as wanted", "Rising")
        best = "highest" if peak else "lowest"
        remarks = f" {self.remarks[0].upper()}{self.remarks[1:]}." if self.remarks else ""
        match verdict.kind:
            case "waiting":
                return Advice("calm", "eye", f"Turn {self.phrase} slowly.", f"A few readings are needed before anything is said.{remarks}")
            case "hands_off":
                return Advice(
                    "calm", "clock", "Hands off for three seconds.", f"What the needle does by itself now, no turning did.{remarks}"
                )
            case "rising":
                return Advice("live", "onward", f"{up}. Keep turning the same way.", _so_far(verdict, start_db))
            case "falling":
                way = "the other way" if verdict.turns_to_crest is None else way_in_words(verdict.turns_to_crest)
                unseen = f"{_away(verdict)} from the {best} seen; the far side of it has not been seen yet.{_say_so(verdict)}"
                return Advice("watch", "turn_back", f"{down}. Turn {way}.", unseen)
            case "further":
                return Advice(
                    "live",
                    "onward",
                    f"{down}. A little further, to be sure.",
                    f"{verdict.moved_db:.1f} dB so far; {verdict.enough_db:.1f} dB is enough.",
                )
            case "past":
                return self._past(verdict)
            case "return":
                return Advice("live", "onward", self._returning(verdict), _how_sure(verdict, self.goal) + _say_so(verdict))
            case "through":
                why = (
                    "Slowly once more: the needle is unquiet, and its height is not known well enough."
                    if verdict.came_again
                    else "Crossed once is not proven."
                )
                return Advice("live", "onward", "About there: go on through it, and come back.", why + _say_so(verdict))
            case "hold":
                if verdict.evidence == "follows":
                    return Advice("live", "crest", "About there. Hands off.", _still_hand(verdict))
                return Advice("live", "crest", "About there. Hold still.", "The needle comes to rest; then it is judged.")
            case "by_itself":
                return Advice(
                    "danger",
                    "wander",
                    f"The needle moves as much with hands off: not a {'peak' if peak else 'null'}.",
                    "Probably a beat, fading, or a set that warms up. Remove the cause, or wait until the needle settles.",
                )
            case "crest":
                sentence = "On the crest. Take it." if peak else "At the bottom of the null. Take it."
                return Advice("good", "crest", sentence, _how_sure(verdict, self.goal))
            case "twice":
                return Advice(
                    "good",
                    "crest",
                    f"Twice {'at the same height' if peak else 'as low'}; if your hand went through it, this is it.",
                    f"A beat, or a swing on one flank, looks the same. To prove it press {TURN_BACK_KEY} as you turn back.",
                )
            case "slips":
                return self._slipping(verdict)
            case "end_stop":
                return Advice(
                    "watch",
                    "stop",
                    f"At the end of its travel, with no {'crest' if peak else 'null'}.",
                    "The circuit wants more than this adjuster can give. Record it as no peak: the capacitor across it is suspect.",
                )
            case "wandering":
                what = (
                    f"With hands off it moved {verdict.span_db:.1f} dB"
                    if _by_itself(verdict)
                    else f"Its wander is {verdict.wander_db:.1f} dB"
                )
                return Advice(
                    "danger",
                    "wander",
                    "The needle wanders too much to judge.",
                    f"{what}. Hands off the leads; if it stays so, raise the generator’s level.",
                )
            case _:
                return Advice("calm", "eye", f"Steady. Turn {self.phrase} on, and watch.", _so_far(verdict, start_db))

    def few(self, typed_db: Sequence[float]) -> Advice:
        """Return the advice for the first readings that a person types, the last one or two (dB): what each says of the way."""
        told = "Two or three more, and it can be told from the wander of the needle."
        if len(typed_db) < 2:
            return Advice("calm", "eye", f"Turn {self.phrase} a little, and read again.", "One reading is a beginning to compare with.")
        moved = typed_db[-1] - typed_db[-2]
        if abs(moved) < HARDLY_DB:
            return Advice("calm", "eye", "It hardly moved. Turn further, and read again.", told)
        wanted = (moved > 0.0) == (self.goal == "maximum")
        said = f"{'Higher' if moved > 0.0 else 'Lower'} by {abs(moved):.1f} dB"
        way = "go on the same way" if wanted else "turn it the other way"
        return Advice("live" if wanted else "watch", "onward" if wanted else "turn_back", f"{said}: {way}, and read again.", told)

    def _past(self, verdict: Verdict) -> Advice:
        peak = self.goal == "maximum"
        off = verdict.turns_to_crest
        how_far = "" if off is None else f" about {self.amount(off)}, {way_in_words(off)}"
        if verdict.came_again:
            sentence = f"Past the {'crest' if peak else 'null'}. Come back{how_far}."
        else:
            sentence = f"{'Highest' if peak else 'Lowest'} so far is passed: come back to it{how_far and ','}{how_far}."
        return Advice("watch", "turn_back", sentence, _how_sure(verdict, self.goal) + _say_so(verdict))

    def _returning(self, verdict: Verdict) -> str:
        if self.goal == "minimum":
            return "Coming back to the null. Slower, and stop in the deepest."
        off = verdict.turns_to_crest
        how_far = "" if off is None else f", about {self.amount(off)}, {way_in_words(off)}"
        return f"Coming back: {verdict.gain_left_db or 0.0:.1f} dB to go{how_far}. Slowly."

    def _slipping(self, verdict: Verdict) -> Advice:
        if self.goal == "minimum":
            return Advice(
                "watch",
                "nothing",
                "Nothing yet. Go on; if it stays so, try the other way.",
                "A null is narrow, and far from it the needle hardly moves. If wax keeps the tool out, clear it; never force it.",
            )
        return Advice(
            "watch",
            "nothing",
            f"{self.phrase[0].upper()}{self.phrase[1:]} slips{'' if verdict.way_known else ', if it is turned'}: {_tally(verdict)}.",
            "The tool turns and the needle hardly answers. If wax holds the core, clear it; never force it.",
        )


def _tally(verdict: Verdict) -> str:
    """How much was turned for how little: "9½ turns for 0.7 dB"."""
    if verdict.turned is None:
        return f"{verdict.turned_s:.0f} seconds of turning for {verdict.moved_db:.1f} dB"
    if verdict.turned < 0.5:
        return f"{degrees_in_words(verdict.turned)} for {verdict.moved_db:.1f} dB"
    halves = round(2.0 * verdict.turned)
    return f"{halves // 2 or ''}{'½' if halves % 2 else ''} turns for {verdict.moved_db:.1f} dB"


def _by_itself(verdict: Verdict) -> bool:
    return verdict.span_db is not None and verdict.span_db > verdict.wander_db * 6.0


def _say_so(verdict: Verdict) -> str:
    """What is asked of a hand whose turns nobody counts."""
    if verdict.turned is not None or verdict.came_again or verdict.kind in TURNED_BACK:
        return ""
    return f" Press {TURN_BACK_KEY}, or the foot switch, as you turn back."


def why_not_sure(verdict: Verdict) -> str:
    """Return the question to ask before something is taken that is not on a crest."""
    match verdict.kind:
        case "by_itself":
            return "The needle moved as much with hands off, so this is not a peak. Take it all the same?"
        case "hold" if verdict.evidence == "follows":
            return "Not proven with hands off yet: a beat looks the same. Take it all the same?"
        case "hold":
            return "The needle has not come to rest. Take it all the same?"
        case "past" | "return" if verdict.came_again:
            return "The needle is below the crest that was seen. Take it all the same?"
        case "past" | "return":
            return "It was crossed once only: drift and a beat do the same. Take it all the same?"
        case "rising":
            return "It is still rising. Take it all the same?"
        case _:
            return "No crest has been seen to fall on both sides. Take it all the same?"


def why_not_dead(adjuster: Adjuster, verdict: str) -> str | None:
    """Return what to say before a core is called dead that somebody saw waxed and from which the wax was not cleared, or None.

    Where it came to its stop it did turn, and nothing is asked.
    """
    if "wax" not in adjuster.remarks.lower() or verdict == "end_stop":
        return None
    core = f"{adjuster.phrase[0].upper()}{adjuster.phrase[1:]}"
    return f"{core} is noted as “{adjuster.remarks}”, and wax keeps a tool out: a good core seems dead then."


def why_not_this_core(model: Model, adjuster: Adjuster) -> str | None:
    """Return what to ask before a core is called dead that shares its can, or its place, with another: the tool may be in that one."""
    here = (adjuster.x_mm, adjuster.y_mm)
    others = [
        a
        for a in model.adjusters
        if a.id != adjuster.id
        and a.kind == adjuster.kind
        and ((a.transformer and a.transformer == adjuster.transformer) or math.dist(here, (a.x_mm, a.y_mm)) <= SAME_CAN_MM)
    ]
    if not others:
        return None
    nearest = min(others, key=lambda a: math.dist(here, (a.x_mm, a.y_mm)))
    ways = f"{adjuster.name} is turned from {adjuster.side}, {nearest.name} from {nearest.side}"
    return f"Is the tool in the right core? {ways}."


def no_peak_finding(phrase: str, verdict: Verdict) -> tuple[str, str]:
    """Return finding and evidence for an adjuster on which no peak was found."""
    the_core = phrase[0].upper() + phrase[1:]
    if verdict.kind == "end_stop":
        return (
            f"{the_core} has no peak inside its travel: its circuit resonates off, capacitor suspect.",
            f"At its end stop and still the highest; {max(verdict.rise_db, verdict.fall_db, verdict.moved_db):.1f} dB lower elsewhere.",
        )
    if verdict.kind == "slips":
        per_turn = f" ({verdict.moved_db / verdict.turned:.2f} dB a turn)" if verdict.turned else ""
        return (f"{the_core} hardly answers.", f"{_tally(verdict)}{per_turn}: wax, a stage that does not pass, or an open capacitor.")
    return (
        f"No peak was found with {phrase}.",
        f"Judged “{verdict.kind.replace('_', ' ')}”; wander {format_db(verdict.wander_db, places=2)} dB.",
    )


def _so_far(verdict: Verdict, start_db: float | None) -> str:
    if start_db is None or verdict.level_db is None:
        return "Watching the needle."
    return f"{format_db(verdict.level_db - start_db)} dB since it began; the needle wanders by {verdict.wander_db:.2f} dB."


def _away(verdict: Verdict) -> str:
    return f"{abs((verdict.crest_db or 0.0) - (verdict.level_db or 0.0)):.1f} dB"


def _still_hand(verdict: Verdict) -> str:
    """Why the hand is asked off before a crest is believed, and how it is said where nobody counts turns."""
    key = "" if verdict.turned is not None else f" Press {HANDS_OFF_KEY} as you let go."
    return f"If the needle now stays put, the core moved it, not a beat.{key}"


def _how_sure(verdict: Verdict, goal: Goal) -> str:
    """What is known of a crest: how far it rose and fell, how often it was crossed, how that compares with the wander."""
    # Beside the crest itself, so that nobody takes it for what was gained since the start, which the needle shows.
    seen = f"{verdict.rise_db:.1f} dB {'lower' if goal == 'maximum' else 'higher'} on one side of it, {verdict.fall_db:.1f} dB on the other"
    if verdict.evidence == "follows":
        return f"{seen}; it came back as {'high' if goal == 'maximum' else 'low'}. With hands off it is proven."
    if verdict.evidence != "proven":
        return f"{seen}: crossed once, not proven yet."
    times = int(verdict.times_wander)
    said = _TIMES[times] if times < len(_TIMES) else "more than ten times"
    left = (
        ""
        if verdict.gain_left_db is None or verdict.kind != "crest" or goal == "minimum"
        else f" Left to gain: {verdict.gain_left_db:.2f} dB."
    )
    what = "a true peak" if goal == "maximum" else "a true null"
    return f"{seen}; it came back as {'high' if goal == 'maximum' else 'low'}: {what}, {said} the wander of the needle.{left}"
