"""What peak, null and alternate share: one adjuster turned for the highest or lowest level, watched by the peak watch."""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice, turns_in_words, way_in_words
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import Offer
from calm_needle.core.procedure.series import Seen
from calm_needle.core.procedure.watch.peak_watch import Goal, PeakWatch, Verdict
from calm_needle.core.quantities import format_db

METER_LAG_S = 0.1  # how far a meter that the program reads is behind, by its averaging
NEEDS_READING = "There is no reading yet to take. Read the meter first."

_TIMES = ("", "once", "twice", *(f"{n} times" for n in ("three", "four", "five", "six", "seven", "eight", "nine", "ten")))


def level_offers(step: Step) -> tuple[Offer, ...]:
    """The acts beside taking: no peak is there; the wax was cleared."""
    return (Offer("no_peak", "No peak", "X"), Offer("clear_wax", "Wax cleared", "W", when="slipping"))


class LevelJudge:
    """Judges a maximum or a minimum of the level over one adjuster."""

    def __init__(self, step: Step, context: Context, *, goal: Goal = "maximum") -> None:
        self._series, self._goal = context.series, goal
        self._adjuster = step.adjusters[0]
        self._phrase = context.model.adjuster(self._adjuster).phrase
        self._watch = PeakWatch(goal=goal)

    def add(self, seen: Seen) -> None:
        if seen.kind not in ("live", "typed"):
            return
        self._watch.add(
            level_db=self._series.measure(seen),
            time_s=seen.t_s,
            turns=seen.turns.get(self._adjuster),
            at_stop=seen.at_stop,
            lag_s=0.0 if seen.alone else METER_LAG_S,
            alone=seen.alone,
        )

    def standing(self, moment: Moment) -> Standing:
        verdict = self._watch.verdict()
        now, start = self._series.now(), self._series.start()
        if now is None:
            began = advise(verdict, phrase=self._phrase, goal=self._goal)
            return Standing("waiting", began, Move("search"), refusal=NEEDS_READING, nothing=no_peak_finding(self._phrase, verdict))
        detail: dict[str, Any] = {
            "gain_db": now.measure - (now.measure if start is None else start),
            "crest_seen": verdict.peak_seen,
            "fall_db": [verdict.fall_before_db, verdict.fall_after_db],
            "wander_db": verdict.wander_db,
        }
        return Standing(
            verdict.kind,
            advise(verdict, phrase=self._phrase, goal=self._goal, start_db=start),
            _move(verdict),
            may_take=verdict.kind == "crest",
            doubt=why_not_sure(verdict),
            marks=Marks(None if verdict.kind == "waiting" else verdict.crest_db, verdict.crest_time_s, verdict.peak_seen),
            figure=Figure(detail["gain_db"], verdict.wander_db or None, "dB"),
            detail=detail,
            nothing=no_peak_finding(self._phrase, verdict),
        )


def _move(verdict: Verdict) -> Move:
    match verdict.kind:
        case "crest" | "hold":
            return Move("rest")
        case "falling" | "end_stop":
            return Move("turn_back", verdict.turns_to_crest)
        case "past" | "two_humps":
            return Move("approach", verdict.turns_to_crest, verdict.gain_left_db or 0.0)
        case "flat":
            return Move("slipping")
    return Move("search")


def advise(verdict: Verdict, *, phrase: str, goal: Goal = "maximum", start_db: float | None = None) -> Advice:
    """Return the advice for a verdict on one adjuster. phrase: how a sentence names it. start_db: level at its first reading."""
    up, down = ("Rising", "Falling") if goal == "maximum" else ("Falling, as wanted", "Rising")
    place = "crest" if goal == "maximum" else "null"
    match verdict.kind:
        case "waiting":
            return Advice("calm", "eye", f"Turn {phrase} slowly.", "A few readings are needed before anything is said.")
        case "rising":
            return Advice("live", "onward", f"{up}. Keep turning the same way.", _so_far(verdict, start_db))
        case "falling":
            return Advice(
                "watch",
                "turn_back",
                f"{down}. Turn {'the other way' if verdict.turns_to_crest is None else way_in_words(verdict.turns_to_crest)}.",
                f"{_away(verdict)} from the {'highest' if goal == 'maximum' else 'lowest'} seen; the far side of it has not been seen yet.",
            )
        case "further":
            return Advice(
                "live",
                "onward",
                f"{down}. A little further, to be sure.",
                f"{_away(verdict)} so far; {verdict.bar_db:.1f} dB tells it from wander.",
            )
        case "past":
            off = verdict.turns_to_crest
            how_far = "" if off is None else f" about {turns_in_words(off)}, {way_in_words(off)}"
            return Advice("watch", "turn_back", f"Past the {place}. Come back{how_far}.", _both_sides(verdict, goal))
        case "hold":
            return Advice("live", "crest", "About there. Hold still.", "The needle comes to rest; then it is judged.")
        case "crest":
            sentence = "On the crest. Take it." if goal == "maximum" else "At the bottom of the null. Take it."
            return Advice("good", "crest", sentence, _both_sides(verdict, goal))
        case "flat" if goal == "minimum":
            return Advice(
                "watch",
                "nothing",
                "Nothing yet. Go on; if it stays so, try the other way.",
                "A null is narrow, and far from it the needle hardly moves. If wax keeps the tool out, clear it; never force it.",
            )
        case "flat":
            return Advice(
                "watch",
                "nothing",
                f"Nothing happens: {phrase} hardly answers.",
                f"The needle moved by less than {max(0.3, verdict.bar_db):.1f} dB. If wax keeps the tool out, clear it; never force it.",
            )
        case "end_stop":
            return Advice(
                "watch",
                "stop",
                f"At the end of its travel, with no {place}.",
                "The circuit wants more than this adjuster can give. Record it as no peak: the capacitor across it is suspect.",
            )
        case "two_humps":
            away = verdict.turns_to_crest or 0.0
            two, why = (
                ("Two humps. The higher", "A pair that is coupled too closely does this; a plain peak would settle on one side of it.")
                if goal == "maximum"
                else ("Two dips. The deeper", "The deepest of them is the one that was looked for.")
            )
            return Advice("watch", "humps", f"{two} one is {turns_in_words(away)} away, {way_in_words(away)}.", why)
        case "wandering":
            return Advice(
                "danger",
                "wander",
                "The needle wanders too much to judge.",
                f"Its wander is {verdict.wander_db:.1f} dB. Hands off the leads; if it stays so, raise the generator’s level.",
            )
        case _:
            return Advice("calm", "eye", f"Steady. Turn {phrase} on, and watch.", _so_far(verdict, start_db))


def why_not_sure(verdict: Verdict) -> str:
    """Return the question to ask before something is taken that is not on a crest."""
    match verdict.kind:
        case "hold":
            return "The needle has not come to rest. Take it all the same?"
        case "past":
            return "The needle is below the crest that was seen. Take it all the same?"
        case "rising":
            return "It is still rising. Take it all the same?"
        case "two_humps":
            return "There is a higher hump. Take this one all the same?"
        case _:
            return "No crest has been seen to fall on both sides. Take it all the same?"


def no_peak_finding(phrase: str, verdict: Verdict) -> tuple[str, str]:
    """Return finding and evidence for an adjuster on which no peak was found."""
    the_core = phrase[0].upper() + phrase[1:]
    if verdict.kind == "end_stop":
        return (
            f"{the_core} has no peak inside its travel: its circuit resonates off, capacitor suspect.",
            f"At its end stop and still the highest; {max(verdict.fall_before_db, verdict.fall_after_db):.1f} dB lower elsewhere.",
        )
    if verdict.kind == "flat":
        return (
            f"{the_core} hardly answers.",
            f"The needle moved by less than {max(0.3, verdict.bar_db):.1f} dB: wax, a stage that does not pass, or an open capacitor.",
        )
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


def _both_sides(verdict: Verdict, goal: Goal) -> str:
    small, large = sorted((verdict.fall_before_db, verdict.fall_after_db))
    times = int(verdict.times_wander)
    said = _TIMES[times] if times < len(_TIMES) else "more than ten times"
    moved = "fell" if goal == "maximum" else "rose"
    what = "a true peak" if goal == "maximum" else "a true null"
    left = "" if verdict.gain_left_db is None or verdict.kind == "past" else f" Left to gain: {verdict.gain_left_db:.2f} dB."
    return f"It {moved} {small:.1f} dB on one side and {large:.1f} dB on the other: {what}, {said} the wander of the needle.{left}"
