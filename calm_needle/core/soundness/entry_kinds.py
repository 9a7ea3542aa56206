"""What is written down about a job beside its readings: what is asked at intake, and what a bench notes as it goes.

Each kind is a short form of named fields; `check` refuses what cannot stand in a record, and some kinds are judged. A kind that stays
open until something comes of it names the outcomes.
"""

import calendar
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from calm_needle.core.form import Ask, read_form
from calm_needle.core.pictures import Picture
from calm_needle.core.procedure.phases import PHASE_NAMES
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.cautions import BY_ID, Caution
from calm_needle.core.soundness.entry_judges import (
    COMES_TO,
    LOOKED_AT,
    SECTIONS,
    judge_comparison,
    judge_effect,
    judge_gang_short,
    judge_leads,
    judge_noise,
    judge_noise_rise,
    judge_orientation,
    judge_section,
    judge_sections,
    judge_sweep_of_control,
    judge_taps,
    judge_transformer,
    judge_trials,
    judge_warmth,
    judge_worth,
    settle_prediction,
    taps_drawn,
)
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotUnderstood

OWN_PAPER = "this model’s own"  # targets from any other stay unverified

NOTHING = "nothing"
# How often the owner listens to a band, and how many times its usual tolerance a dial may then be out.
EVERY_DAY = "every day"
LISTENED: dict[str, float] = {EVERY_DAY: 1.0, "now and then": 2.0, "hardly ever": 4.0}

Page = Literal["intake", "notes"]


def _field(name: str, label: str, hint: str = "", *, choices: tuple[str, ...] = (), unit: str | None = None, optional: bool = False) -> Ask:
    """One thing asked of an entry; words unless it has choices or a unit ("" for a plain number)."""
    return Ask(name, label, unit, hint, choices, optional)


@dataclass(frozen=True)
class EntryKind:
    """A kind of entry: what it is called, why it is asked, its fields; outcomes: what ends it, where something does; judge: its figures.

    fault: the outcome that makes it a fault of the set, which stays open until it is tested again.
    proof: what is asked before it is ended, empty where nothing is; settle: which outcome a figure comes to, where that follows from what
    was said (None where it does not). in_unit: fields that are in the unit that the field “unit” names; dates: fields that are days;
    judge_all: what all its entries say together; reopens: why what was aligned is to be aligned again; draws: its figures as a picture;
    bands: fields that name a band of the set; cold: what is only read, or done, of a set that is off; hazards: of doing it, by the ids of
    their cautions.
    """

    name: str
    title: str
    why: str
    fields: tuple[Ask, ...]
    outcomes: tuple[str, ...] = ()
    fault: str = ""
    page: Page = "intake"
    judge: Callable[[Mapping[str, str]], Verdict | None] | None = None
    judge_all: Callable[[Sequence[Mapping[str, str]]], Verdict | None] | None = None
    proof: str = ""
    settle: Callable[[Mapping[str, str], str], str | None] | None = None
    in_unit: tuple[str, ...] = ()
    dates: tuple[str, ...] = ()
    reopens: Callable[[Mapping[str, str]], str] | None = None
    draws: Callable[[Mapping[str, str]], Picture | None] | None = None
    bands: tuple[str, ...] = ()
    cold: bool = False
    hazards: tuple[str, ...] = ()

    @property
    def cautions(self) -> tuple[Caution, ...]:
        return tuple(BY_ID[hazard] for hazard in self.hazards)


KINDS: dict[str, EntryKind] = {
    k.name: k
    for k in (
        EntryKind(
            "paper",
            "Papers",
            "Targets from a sister model’s papers stay unverified until a reading here confirms them.",
            (
                _field("title", "Paper", "service sheet, diagram, a tip and whose"),
                _field("trust", "Whose papers", choices=(OWN_PAPER, "a sister model’s", "none: worked out at the bench")),
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
            "listening",
            "Band by band, where it is listened to",
            "How exact each dial is made, and where its circuits are peaked; what that costs elsewhere stands beside it on the bench.",
            (
                _field("band", "Band"),
                _field("often", "Listened to", choices=tuple(LISTENED)),
                _field("at", "Mostly at", "909 kHz; empty: all over", unit="Hz", optional=True),
            ),
            bands=("band",),
        ),
        EntryKind(
            "section",
            "Sections of the chassis, looked over",
            "Wiring against the papers, section by section: an old conversion may be half undone. What could not be read stays a risk.",
            (
                _field("section", "Section", "IF strip, underside, band switch"),
                _field("found", "It is", choices=tuple(SECTIONS)),
                _field("what", "What, or why not", "old solder on C14; the deck is hidden", optional=True),
            ),
            judge=judge_section,
            judge_all=judge_sections,
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
                _field("kept", "Where the original part is kept", "in a bag on the chassis", optional=True),
            ),
        ),
        EntryKind(
            "waiting",
            "Waited for",
            "What is held up by it, and what can go on meanwhile.",
            (
                _field("item", "What"),
                _field("blocks", "Holds up", choices=(*PHASE_NAMES, NOTHING)),
                _field("by", "Expected on", "2026-12-08; it is asked after then", optional=True),
                _field("meanwhile", "Meanwhile", optional=True),
            ),
            outcomes=("has come",),
            dates=("by",),
        ),
        EntryKind(
            "appointment",
            "Appointments",
            "Who comes or calls, and when: it stands among what falls due, and in the calendar.",
            (
                _field("what", "What", "the owner fetches it"),
                _field("on", "Day", "2026-12-08"),
                _field("at", "Hour", "14:30", optional=True),
            ),
            outcomes=("kept", "not kept"),
            dates=("on",),
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
                _field("chance", "Chance that it comes good", "80 %; left empty: taken for sure", unit="%", optional=True),
            ),
            judge=judge_worth,
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
            "moved",
            "An adjuster that was moved",
            "By mistake, or to see what it does. What it was aligned for is aligned again; one of another system goes back to its mark.",
            (
                _field("adjuster", "Adjuster", "its label on the map"),
                _field("net", "Net turns, clockwise", "−0.5", unit="turn"),
                _field("why", "Why", optional=True),
            ),
            outcomes=("back at its mark",),
            page="notes",
            hazards=("blade",),
            reopens=lambda e: f"{e['adjuster']} was moved by {e['net']} turns",
        ),
        EntryKind(
            "came off",
            "Taken off, in order",
            "Shown backwards for putting it together again.",
            (
                _field("item", "What", "knob, lead, screen"),
                _field("where", "From where", "tag, side of the terminal, colour of the wire"),
                _field("kept", "Kept in", optional=True),
                _field("photograph", "Photograph", "its number", unit="", optional=True),
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
            fault="confirmed",
            page="notes",
            proof="What that test showed, with its figure",
        ),
        EntryKind(
            "prediction",
            "Predicted",
            "Said now, looked at later: a prediction never checked teaches nothing.",
            (
                _field("quantity", "Which figure"),
                _field("unit", "In", choices=("V", "A", "Ω", "F", "H", "Hz", "dB", "%")),
                _field("now", "It is now"),
                _field("expected", "What it will do", choices=("rise", "fall", "stay", COMES_TO)),
                _field("by", "By how much, or to what", optional=True),
                _field("when", "Looked at when", choices=tuple(LOOKED_AT)),
            ),
            outcomes=("hit", "missed"),
            page="notes",
            proof="It is then",
            settle=settle_prediction,
            in_unit=("now", "by"),
        ),
        EntryKind(
            "worry",
            "Fault or normal?",
            "Decided by tests, not by feel.",
            (
                _field("worry", "The worry", "too quiet between stations"),
                _field("tests", "Tests that would settle it", "sensitivity, gain of the last round, dial error, noise rise with an aerial"),
            ),
            outcomes=("a fault", "a characteristic"),
            fault="a fault",
            page="notes",
            proof="What they showed, with figures",
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
                _field("unit", "In", choices=("V", "A", "Ω", "H", "F", "Hz", "dB", "%", "m", "°C", "W")),
                _field("suspect", "Here"),
                _field("good", "In the good one"),
                _field("which", "Which is that", "serial, or the sister’s name"),
            ),
            page="notes",
            judge=judge_comparison,
            in_unit=("suspect", "good"),
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
            judge=judge_noise,
        ),
        EntryKind(
            "cleaned",
            "Cleaned or reseated",
            "What was done where, and whether it changed anything.",
            (
                _field("item", "Switch, socket, control"),
                _field("done", "What was done"),
                _field("effect", "Effect", "in words"),
                _field("unit", "A figure, in", choices=("V", "dB", "Ω", "A"), optional=True),
                _field("before", "before", optional=True),
                _field("after", "and after", optional=True),
                _field("moved", "Was a tuned part moved?", choices=("no", "yes"), optional=True),
            ),
            page="notes",
            judge=judge_effect,
            in_unit=("before", "after"),
            cold=True,
            hazards=("solvents",),
        ),
        EntryKind(
            "noise rise",
            "Noise with the aerial",
            "Aerial on and off, no station tuned, volume unchanged.",
            (
                _field("band", "Band"),
                _field("at", "At", "a quiet place of the dial, 1.05 MHz", optional=True),
                _field("on_v", "Output with the aerial", unit="V"),
                _field("off_v", "without it", unit="V"),
            ),
            page="notes",
            judge=judge_noise_rise,
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
            judge=judge_warmth,
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
            judge=judge_gang_short,
            cold=True,
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
            proof="What was seen, over how long",
            reopens=lambda e: f"{e['band']} came alive when {e['adjuster']} was screwed",
        ),
        EntryKind(
            "orientation",
            "Which way round, and marked what",
            "Devices turned the other way from the good board; photographs of both.",
            (
                _field("device", "Device"),
                _field("marked", "Marked"),
                _field("direction", "Flat side or dot points to", "the gang, the front, V2"),
                _field("good", "on the good board, to", optional=True),
                _field("photographs", "Photographs of both", "their numbers", optional=True),
            ),
            page="notes",
            judge=judge_orientation,
        ),
        EntryKind(
            "transformer check",
            "A transformer, three ways",
            "Bare, loaded and as calculated agree, or say which is at fault; rectifier out for the bare reading.",
            (
                _field("winding", "Winding", "one half of the secondary"),
                _field("now_v", "It gives now", unit="V"),
                _field("other_v", "the other half gives", unit="V", optional=True),
                _field("bare_v", "bare, read earlier", unit="V", optional=True),
                _field("calculated_v", "as calculated", unit="V", optional=True),
            ),
            page="notes",
            judge=judge_transformer,
        ),
        EntryKind(
            "dropper trial",
            "A dropping resistor by trial",
            "Each trial is kept; two of them give the next value, its current and its heat.",
            (
                _field("ohm", "Tried", unit="Ω"),
                _field("out_v", "gives", unit="V"),
                _field("wanted_v", "wanted", unit="V"),
                _field("source_v", "Volts before it", "if they can be read", unit="V", optional=True),
                _field("rating_w", "Its rating", unit="W", optional=True),
            ),
            page="notes",
            judge_all=judge_trials,
        ),
        EntryKind(
            "control swept",
            "A control over its travel",
            "Metered from one end to the other; the worst spot counts.",
            (_field("part", "Control"), Ask("ohms", "Ohms on the way", "Ω", "five or more, parted by semicolons", many=True)),
            page="notes",
            judge=judge_sweep_of_control,
            cold=True,
        ),
        EntryKind(
            "taps",
            "A winding’s taps",
            "Each pair of tags; a tap that was taken for another shows in the sums.",
            (_field("winding", "Winding"), _field("pairs", "Pairs with their ohms", "1-2 4.1; 2-3 12; 1-3 16")),
            page="notes",
            judge=judge_taps,
            draws=taps_drawn,
            cold=True,
        ),
        EntryKind(
            "leads",
            "The leads of the meter",
            "Read once, and taken off every small value that is typed after it: a lead’s own picofarads and tenths of an ohm.",
            (
                _field("open_f", "Tips apart, where the part will be", "2.9 pF", unit="F", optional=True),
                _field("short_ohm", "Tips together", "0.2", unit="Ω", optional=True),
            ),
            page="notes",
            judge=judge_leads,
        ),
    )
}


def _is_day(words: str) -> bool:
    written = re.fullmatch(r"(\d{4})-(\d\d)-(\d\d)", words)
    year, month, day = map(int, written.groups()) if written else (0, 0, 0)
    return year > 0 and 1 <= month <= 12 and 1 <= day <= calendar.monthrange(year, month)[1]


def check(kind: EntryKind, form: Mapping[str, str]) -> dict[str, str]:
    """Return what was typed, field by field. Raises FieldsRefused with a sentence for each that cannot stand."""
    out, _, faults = read_form(kind.fields, form)
    for name in (n for n in kind.in_unit if out.get(n) and n not in faults and "unit" not in faults):
        try:
            parse_si(out[name], unit=out["unit"])
        except NotUnderstood as fault:
            faults[name] = str(fault)
    for name in (n for n in kind.dates if out.get(n) and n not in faults):
        if not _is_day(out[name]):
            faults[name] = "Write the day as 2026-12-08."
    if kind.judge and not faults:
        try:
            kind.judge(out)
        except NotUnderstood as fault:
            faults[kind.fields[-1].name] = str(fault)
    if out.get("expected") == COMES_TO and not out.get("by"):
        faults.setdefault("by", "To what? It is judged against that.")
    if not faults and kind.name == "worth":
        for low, high in (("hours_low", "hours_high"), ("parts_low", "parts_high")):
            if parse_si(out[high], unit="") < parse_si(out[low], unit=""):
                faults[high] = "At most is less than at least."
    if faults:
        raise FieldsRefused(faults)
    return out
