"""What the watch's verdict means for the hand: one imperative sentence and one line of evidence."""

from dataclasses import dataclass
from typing import Literal

from calm_needle.core.procedure.watch.peak_watch import Goal, Verdict
from calm_needle.core.quantities import format_db

Tone = Literal["calm", "live", "watch", "good", "danger"]
# A shape of our own for each tone and meaning, so that colour never speaks alone.
Sign = Literal["eye", "onward", "turn_back", "crest", "nothing", "stop", "humps", "wander", "level", "set", "measure", "round", "unplugged"]

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
_TIMES = (
    "",
    "once",
    "twice",
    "three times",
    "four times",
    "five times",
    "six times",
    "seven times",
    "eight times",
    "nine times",
    "ten times",
)


@dataclass(frozen=True)
class Advice:
    """One line to act on, one line of why."""

    tone: Tone
    sign: Sign
    sentence: str
    evidence: str


def turns_in_words(turns: float) -> str:
    """Return an amount of turning as one would say it at the bench; the sign is left to the sentence.

    >>> turns_in_words(-0.2), turns_in_words(2.1)
    ('a fifth of a turn', '2.1 turns')
    """
    amount = abs(turns)
    return next((words for limit, words in _FRACTIONS if amount < limit), f"{amount:.1f} turns")


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
                f"{down}. Turn {'the other way' if verdict.turns_to_crest is None else _way(verdict.turns_to_crest)}.",
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
            how_far = (
                "" if verdict.turns_to_crest is None else f" about {turns_in_words(verdict.turns_to_crest)}, {_way(verdict.turns_to_crest)}"
            )
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
            return Advice("watch", "humps", f"{two} one is {turns_in_words(away)} away, {_way(away)}.", why)
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


def _way(turns: float) -> str:
    return "clockwise" if turns > 0 else "anticlockwise"


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
