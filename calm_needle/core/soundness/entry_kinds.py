"""What is written down about a job beside its readings: what is asked at intake, and what a bench notes as it goes.

Each kind is a short form of named fields; `check` refuses what cannot stand in a record, and some kinds are judged. A kind that stays
open until something comes of it names the outcomes.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple

from calm_needle.core.form import Ask, read_form
from calm_needle.core.quantities import format_beside, format_db, parse_si
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotUnderstood

WORTH_STOP = 1.0  # times the value: more than that is not spent without another reason
WORTH_ASK = 0.6
NOISY_DB = 6.0  # room noise above the set's own, at which a sensitivity measured here says little
HOT_C, WARM_C, SOAKED_MIN = 110.0, 80.0, 10.0  # of carbon resistors and waxed parts on a bench at 20 °C
SHORT_OHM = 10e3
PLATE_OHM = 5.0

OWN_PAPER = "this model’s own"  # targets from any other stay unverified

ALIKE_PERCENT, APART_PERCENT = 10.0, 30.0  # of a reading in one set against the same in another of its kind

Page = Literal["intake", "notes"]


def _field(name: str, label: str, hint: str = "", *, choices: tuple[str, ...] = (), unit: str | None = None, optional: bool = False) -> Ask:
    """One thing asked of an entry; words unless it has choices or a unit ("" for a plain number)."""
    return Ask(name, label, unit, hint, choices, optional)


@dataclass(frozen=True)
class EntryKind:
    """A kind of entry: what it is called, why it is asked, its fields; outcomes: what ends it, where something does; judge: its figures."""

    name: str
    title: str
    why: str
    fields: tuple[Ask, ...]
    outcomes: tuple[str, ...] = ()
    page: Page = "intake"
    judge: Callable[[Mapping[str, str]], Verdict] | None = None


class Worth(NamedTuple):
    """Cost to finish, least and most, what to do, and why."""

    low: float
    high: float
    advice: str
    sentence: str


def _judge_worth(entry: Mapping[str, str]) -> Verdict:
    worth = worth_it(entry)
    states: dict[str, Literal["good", "watch", "stop"]] = {"go": "good", "ask": "watch", "stop": "stop"}
    return Verdict(states[worth.advice], worth.sentence)


def _judge_noise(entry: Mapping[str, str]) -> Verdict:
    on, off = parse_si(entry["on_v"], unit="V"), parse_si(entry["off_v"], unit="V")
    if off <= 0 or on <= 0:
        return Verdict("watch", "An output of nothing says nothing: turn the volume up, and read both again.")
    more = 20.0 * math.log10(on / off)
    if more >= NOISY_DB:
        return Verdict("stop", f"{format_db(more)} dB with it on: off with it before sensitivity is measured.")
    return Verdict("good", f"{format_db(more)} dB with it on: it may stay.")


def _judge_warmth(entry: Mapping[str, str]) -> Verdict:
    degrees, minutes = parse_si(entry["degrees"], unit="°C"), parse_si(entry["minutes"], unit="")
    if degrees >= HOT_C:
        return Verdict("stop", f"{degrees:.0f} °C: it is too small for what it carries. Off, and fit one of twice the watts.")
    if minutes < SOAKED_MIN:
        return Verdict("watch", f"{degrees:.0f} °C after {minutes:.0f} min: look again after {SOAKED_MIN:.0f}.")
    if degrees >= WARM_C:
        return Verdict("watch", f"{degrees:.0f} °C: near what it bears; see what it carries against its rating.")
    return Verdict("good", f"{degrees:.0f} °C: as it should be.")


def _judge_comparison(entry: Mapping[str, str]) -> Verdict:
    suspect, good = (parse_si(entry[name], unit=entry["unit"]) for name in ("suspect", "good"))
    if good == 0:
        return Verdict("watch", "The good one shows nothing: say of which place and with what it was read.")
    off = 100.0 * (suspect / good - 1.0)
    said = format_beside(off, "the good one’s")
    said = f"{said[0].upper()}{said[1:]}"
    if abs(off) <= ALIKE_PERCENT:
        return Verdict("good", f"{said}: alike, as far as the two sets are the same.")
    return Verdict("watch" if abs(off) <= APART_PERCENT else "stop", f"{said}. That the two are the same otherwise is assumed.")


def _judge_gang_short(entry: Mapping[str, str]) -> Verdict:
    here, away = parse_si(entry["ohm"], unit="Ω"), parse_si(entry["away_ohm"], unit="Ω")
    if here >= SHORT_OHM:
        return Verdict("good", "No short there.")
    if away < SHORT_OHM:
        return Verdict("watch", "Short everywhere: a trimmer, a coil still across it, or a bent tag; not the plates.")
    if here < PLATE_OHM:
        return Verdict("stop", "A hard short at one place: a plate touches there. Straighten it by eye against the light.")
    return Verdict("stop", "A poor short at one place: dirt or swarf between the plates. Blow it out; do not burn it out.")


KINDS: dict[str, EntryKind] = {
    k.name: k
    for k in (
        EntryKind(
            "paper",
            "Papers",
            "Targets from a sister model’s papers stay unverified until a reading here confirms them.",
            (
                _field("title", "Paper", "service sheet, diagram, a tip and whose"),
                _field("trust", "Is it", choices=(OWN_PAPER, "a sister model’s", "none: worked out at the bench")),
                _field("differences", "Differences met", optional=True),
            ),
        ),
        EntryKind(
            "purpose",
            "Owner’s purpose",
            "It decides how far to go, and where in the band to peak; “Peaked where one listens”, in Reckon, says what it costs.",
            (
                _field("use", "What is it for?", "one local station, the whole dial, on show"),
                _field("bands", "Bands, the most wanted first"),
            ),
        ),
        EntryKind(
            "earlier hands",
            "What earlier hands have left",
            "Parts beside a repair are suspect too.",
            (_field("place", "Where"), _field("seen", "What is seen", "melted wax, a wrong value, a core driven down")),
        ),
        EntryKind(
            "consent",
            "Changes that cannot be undone",
            "Asked before, with the owner’s word and its day; the old part stays with the set.",
            (
                _field("change", "The change"),
                _field("reversible", "Can it be undone?", choices=("yes", "no")),
                _field("agreed", "Who agreed, and when"),
            ),
        ),
        EntryKind(
            "waiting",
            "Waited for",
            "What is held up by it, and what can go on meanwhile.",
            (_field("item", "What"), _field("blocks", "Holds up"), _field("meanwhile", "Meanwhile", optional=True)),
            outcomes=("has come",),
        ),
        EntryKind(
            "worth",
            "Is it worth it?",
            "Must-pass tests come before money: aerial coils, transformer, gang.",
            (
                _field("hours_low", "Hours, at least", unit=""),
                _field("hours_high", "at most", unit=""),
                _field("rate", "Money an hour", unit=""),
                _field("parts_low", "Parts, at least", unit=""),
                _field("parts_high", "at most", unit=""),
                _field("value", "What it is worth, done", unit=""),
            ),
            judge=_judge_worth,
        ),
        EntryKind(
            "as found",
            "As found, before the first touch",
            "Without it nobody can put it back.",
            (
                _field("adjuster", "Adjuster"),
                _field("position", "Where it stands", "turns from a stop, a mark, millimetres of core"),
                _field("reading", "The indicator shows", optional=True),
            ),
            page="notes",
        ),
        EntryKind(
            "came off",
            "Taken off, in order",
            "Shown backwards for putting it together again.",
            (
                _field("item", "What", "knob, lead, screen"),
                _field("where", "From where", "tag, side of the terminal, colour of the wire"),
                _field("kept", "Kept in", optional=True),
            ),
            outcomes=("back in its place",),
            page="notes",
        ),
        EntryKind(
            "suspicion",
            "Suspected",
            "It stays a suspicion until a test settles it, however often it is repeated.",
            (_field("what", "What"), _field("because", "Because of"), _field("test", "What would settle it")),
            outcomes=("confirmed", "cleared"),
            page="notes",
        ),
        EntryKind(
            "prediction",
            "Predicted",
            "Said now, looked at later: a prediction never checked teaches nothing.",
            (
                _field("quantity", "Which figure"),
                _field("expected", "What it will do", choices=("rise", "fall", "stay", "come to a value")),
                _field("by", "By how much, or to what"),
                _field("when", "Looked at when", "after the padder, at verification"),
            ),
            outcomes=("hit", "missed"),
            page="notes",
        ),
        EntryKind(
            "worry",
            "Fault or normal?",
            "Decided by tests, not by feel.",
            (_field("worry", "The worry", "too quiet between stations"), _field("tests", "Tests that would settle it")),
            outcomes=("a fault", "a characteristic"),
            page="notes",
        ),
        EntryKind(
            "cross-check",
            "Is it the test gear?",
            "No set is called dead on the word of one source.",
            (
                _field("gear", "Generator or meter"),
                _field("on", "Tried on", "a set known to be good, a second source"),
                _field("result", "There it", choices=("works", "does not work")),
            ),
            page="notes",
        ),
        EntryKind(
            "comparison",
            "Beside a good one",
            "The same reading in a good set or on the sister part; that the two are the same is assumed.",
            (
                _field("what", "What was read", "V2 anode, winding, dip"),
                _field("unit", "In", choices=("V", "A", "Ω", "H", "F", "Hz")),
                _field("suspect", "Here"),
                _field("good", "In the good one"),
                _field("which", "Which is that", "serial, or the sister’s name"),
            ),
            page="notes",
            judge=_judge_comparison,
        ),
        EntryKind(
            "room noise",
            "Room noise",
            "Before a sensitivity is measured: lamps, computers, the fence.",
            (
                _field("band", "Band"),
                _field("source", "Source", "the lamp over the bench"),
                _field("on_v", "Output with it on", unit="V"),
                _field("off_v", "with it off", unit="V"),
            ),
            page="notes",
            judge=_judge_noise,
        ),
        EntryKind(
            "cleaned",
            "Cleaned or reseated",
            "What was done where, and whether it changed anything.",
            (
                _field("item", "Switch, socket, control"),
                _field("done", "What was done"),
                _field("effect", "Effect", "a figure before and after"),
            ),
            page="notes",
        ),
        EntryKind(
            "warmth",
            "How warm it gets",
            "A part too small for its watts shows after some minutes; looked at without touching.",
            (
                _field("part", "Part"),
                _field("minutes", "After minutes", unit=""),
                _field("degrees", "It has", unit="°C"),
            ),
            page="notes",
            judge=_judge_warmth,
        ),
        EntryKind(
            "gang short",
            "Gang rubs or shorts",
            "Stator to frame while it is turned, coils off.",
            (
                _field("section", "Section"),
                _field("angle", "At", "degrees, or a place on the dial"),
                _field("ohm", "Ohms there", unit="Ω"),
                _field("away_ohm", "Ohms elsewhere", "“open” is 100M", unit="Ω"),
            ),
            page="notes",
            judge=_judge_gang_short,
        ),
        EntryKind(
            "revived",
            "Revived by an adjuster",
            "It came alive when something was screwed: the cause is unproven, and the band is aligned again.",
            (
                _field("adjuster", "Adjuster"),
                _field("original", "Where it stood"),
                _field("net", "Net turns", unit="turn"),
                _field("band", "Band or stage"),
            ),
            outcomes=("came back", "stayed away", "cause found"),
            page="notes",
        ),
        EntryKind(
            "orientation",
            "Which way round, and marked what",
            "Devices turned the other way from the good board; photographs of both.",
            (_field("device", "Device"), _field("marked", "Marked"), _field("direction", "Flat side or dot points to")),
            page="notes",
        ),
    )
}


def check(kind: EntryKind, form: Mapping[str, str]) -> dict[str, str]:
    """Return what was typed, field by field. Raises FieldsRefused with a sentence for each that cannot stand."""
    out, _, faults = read_form(kind.fields, form)
    if kind.name == "comparison" and "unit" not in faults:
        for name in {"suspect", "good"} - set(faults):
            try:
                parse_si(out[name], unit=out["unit"])
            except NotUnderstood as fault:
                faults[name] = str(fault)
    if not faults and kind.name == "worth":
        for low, high in (("hours_low", "hours_high"), ("parts_low", "parts_high")):
            if parse_si(out[high], unit="") < parse_si(out[low], unit=""):
                faults[high] = "At most is less than at least."
    if faults:
        raise FieldsRefused(faults)
    return out


def worth_it(entry: Mapping[str, str]) -> Worth:
    """Return the cost to finish with its range, against what the set is worth. entry: as check() returned it."""
    number = {k: parse_si(entry[k], unit="") for k in ("hours_low", "hours_high", "rate", "parts_low", "parts_high", "value")}
    low = number["hours_low"] * number["rate"] + number["parts_low"]
    high = number["hours_high"] * number["rate"] + number["parts_high"]
    said = f"{low:.0f} to {high:.0f} to finish, against {number['value']:.0f}."
    if low > WORTH_STOP * number["value"]:
        return Worth(low, high, "stop", f"{said} Even the least is more than it is worth: stop, unless it is wanted for itself.")
    if high > WORTH_ASK * number["value"]:
        return Worth(low, high, "ask", f"{said} It may come to most of what it is worth: must-pass tests first, then ask the owner.")
    return Worth(low, high, "go", f"{said} Go on.")
