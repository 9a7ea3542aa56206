"""Smaller guided works: gang and donor parts, splices, a fixed part made adjustable, a substitute valve, relay cycles, a warm valve."""

from calm_needle.core.physics.parts import gang_match, trimmer_range
from calm_needle.core.quantities import format_beside, format_db, format_si
from calm_needle.core.soundness.guided.piece import OPEN, Answers, Ask, Piece, Stage
from calm_needle.core.soundness.guided.rewind import off_percent
from calm_needle.core.soundness.guided.will_not_peak import LEAK_ASKS, LEAK_LEAST_OHM, REPEAT_ASK, judge_leak, judge_repeats
from calm_needle.core.verdict import Verdict

TRIMMER_TAKES_F = 8e-12
SPLICE_PERCENT = 10.0
HEATER_PERCENT, HEATER_LIMIT_PERCENT = 5.0, 10.0
YES_NO = ("yes", "no")


def _gang_fits(a: Answers) -> Verdict:
    if "no" in (a.text("turns_same_way"), a.text("terminals_fit")):
        return Verdict("stop", "It does not go in as the old one did: rotor side or terminals differ. Look for another.")
    return Verdict("good", "It goes in as the old one did.")


def _gang_equal(a: Answers) -> Verdict:
    counts = {len(a.numbers(name)) for name in ("angles", "section_a_f", "section_b_f") if a.has(name)}
    if len(counts) > 1:
        return Verdict("stop", "As many angles as values of each section: a value belongs to its angle.")
    found = gang_match(a_f=a.numbers("section_a_f"), b_f=a.numbers("section_b_f"), l_h=a.number("coil_h"))
    at_minimum = abs(min(a.numbers("section_b_f")) - min(a.numbers("section_a_f")))
    evidence = (
        f"{format_si(found.worst_f, unit='F', digits=3)} or {found.worst_percent:.1f}\u00a0% at worst, "
        f"{format_si(found.worst_hz, unit='Hz', digits=3)} with this coil",
    )
    if at_minimum > TRIMMER_TAKES_F:
        return Verdict("stop", "At its minimum the sections differ by more than a trimmer takes up.", evidence)
    if found.worst_percent > 1.5:
        return Verdict("watch", "The trimmer takes up the minimum, not the rest of the dial: tracking will be out in between.", evidence)
    return Verdict("good", "The sections are alike; what is left at the minimum is the trimmer’s.", evidence)


def _gang_old(a: Answers) -> Verdict:
    if a.text("old_measured") == "no":
        return Verdict(
            "watch", "The old one was never measured: equal sections are not yet equal to the old gang. The dial is calibrated anew."
        )
    old_f, new_f = a.maybe("old_max_f", 0.0), a.maybe("new_max_f", 0.0)
    if not old_f or not new_f:
        return Verdict("stop", "Type what both measured at full mesh, old and new.")
    off = off_percent(found=new_f, wanted=old_f)
    said = format_beside(off, "the old one has at full mesh")
    if abs(off) > 3.0:
        return Verdict("stop", "Another law: the printed scale will not fit, whatever is adjusted.", (said,))
    return Verdict("good", "As the old one, so the scale can be made to fit. Calibrate the dial anew all the same.", (said,))


GANG = Piece(
    "gang",
    "Another gang, or a donor’s part",
    "the tuning capacitor is replaced by one from another set",
    (
        Stage(
            "fits",
            "Does it fit?",
            "Before it is unsoldered from its donor.",
            (
                Ask("turns_same_way", "Rotor turns the same way?", choices=YES_NO),
                Ask("terminals_fit", "Terminals on the same side?", choices=YES_NO),
            ),
            _gang_fits,
        ),
        Stage(
            "equal",
            "Its sections against each other",
            "Settled readings at the same angles, leads zeroed.",
            (
                Ask("angles", "At", "", "degrees from full mesh, parted by semicolons", many=True),
                Ask("section_a_f", "First section", "F", "from mesh to open, parted by semicolons", many=True),
                Ask("section_b_f", "second section", "F", "at the same angles", many=True),
                Ask("coil_h", "Coil it tunes", "H"),
            ),
            _gang_equal,
        ),
        Stage(
            "old",
            "Against the old one",
            "Equal sections are not yet equal to the old gang.",
            (
                Ask("old_measured", "Was the old one measured?", choices=YES_NO),
                Ask("old_max_f", "Old, at full mesh", "F", optional=True),
                Ask("new_max_f", "new", "F", optional=True),
            ),
            _gang_old,
        ),
    ),
    repair="replaced",
    follow=("the dial calibrated anew on every band", "front end peaked anew", "shorts looked for over the whole turn"),
    reckon=("gang-match",),
    hazards=("soldering", "brittle", "solvents"),
)


def _donor_coil(a: Answers) -> Verdict:
    at = a.number("slug_percent")
    if not 8.0 <= at <= 92.0:
        return Verdict(
            "stop", f"It works only with its core {at:.0f}\u00a0% along, at the stop: a coil of another value. Do not leave it so."
        )
    return Verdict("good", f"Its core works {at:.0f}\u00a0% along the travel: near enough the same coil.")


DONOR = Piece(
    "donor-coil",
    "A donor’s coil",
    "a coil from another set is tried in place of a bad one",
    (
        Stage(
            "slug",
            "Where does its core work?",
            "The place of the core tells whether it is the same coil.",
            (
                Ask("slug_percent", "Peak along the travel", "%", meter="travel"),
                Ask("differs", "Differences seen", None, "taps, leads, colour", optional=True),
            ),
            _donor_coil,
        ),
    ),
    subject="winding",
    repair="replaced",
    follow=("everything this coil touches is aligned anew",),
    reckon=("slug-travel", "reach"),
    hazards=("soldering", "brittle"),
)


def _bridged(a: Answers) -> Verdict:
    tries = a.number("tries")
    if tries < 1.0:
        return Verdict("stop", "Not tried yet: write it down once the bridge is soldered.")
    return Verdict("good", f"Bridged ({a.text('place')}), {tries:.0f} {'try' if tries < 2.0 else 'tries'}. Measure it before it is fixed.")


def _splice(a: Answers) -> Verdict:
    after, sister = a.number("ohm_after"), a.number("ohm_sister")
    if after == OPEN:
        return Verdict(
            "stop", f"Still open after {a.number('tries'):.0f}: scrape less, tin the bridge first, and try once more; or wind it anew."
        )
    off = off_percent(found=after, wanted=sister)
    evidence = (f"ohms: {format_beside(off, 'the sister’s')}",)
    if abs(off) > SPLICE_PERCENT:
        return Verdict("watch", "It holds, but the ohms differ: a poor joint will show warm. Measure it again after an hour on.", evidence)
    return Verdict("good", "It holds, and has its sister’s ohms. Fix the bridge so that nothing pulls on it.", evidence)


SPLICE = Piece(
    "splice",
    "A fine wire spliced",
    "a lead of a coil has corroded or broken where it can be reached",
    (
        Stage(
            "bridge",
            "The bridge",
            "Cut the lead and hook on; never pull.",
            (
                Ask("bridge_m", "Bridge wire", "m", "its diameter, such as 0.1 mm"),
                Ask("place", "Where"),
                Ask("tries", "Tries", ""),
            ),
            _bridged,
            act="splice",
        ),
        Stage(
            "splice",
            "Does it carry?",
            "A bridge that was soldered is not yet one that carries: the meter says so.",
            (
                Ask("ohm_after", "Now it has", "Ω", meter="ohm", may_be_open=True),
                Ask("ohm_sister", "its sister", "Ω", meter="ohm", of="sister", known="ohm"),
            ),
            _splice,
        ),
    ),
    subject="winding",
    needs_sister=True,
    repair="mended",
    follow=("ohms again after an hour on", "the circuit peaked anew"),
    hazards=("soldering", "brittle"),
)


def _adjustable(a: Answers) -> Verdict:
    found = trimmer_range(
        fixed_f=a.number("fixed_f"),
        trim_min_f=a.number("trim_min_f"),
        trim_max_f=a.number("trim_max_f"),
        l_h=a.number("coil_h"),
        rest_f=a.number("rest_f"),
    )
    low, high, before = (format_si(f, unit="Hz") for f in (found.f_low_hz, found.f_high_hz, found.f_fixed_hz))
    evidence = (f"{low} to {high}, before {before}",)
    if "outside" in found.verdict:
        return Verdict("stop", "The old value is outside the trimmer’s range: put a fixed one across it.", evidence)
    return Verdict("good", "The old value lies inside its range. Set it there first, then adjust.", evidence)


def _agreed(a: Answers) -> Verdict:
    if not a.fact("consent", False):
        return Verdict("watch", "The owner’s word is not written down; a trimmer can be taken out again, if the old part is kept.")
    return Verdict("good", f"Kept: {a.text('kept_where')}.")


ADJUSTABLE = Piece(
    "made-adjustable",
    "A fixed part made adjustable",
    "one adjuster must do for two, or a fixed capacitor is no longer what the circuit wants",
    (
        Stage(
            "range",
            "Does it reach?",
            "Both ends of the trimmer, with everything else that lies across.",
            (
                Ask("fixed_f", "Fixed capacitor", "F"),
                Ask("trim_min_f", "Trimmer, least", "F"),
                Ask("trim_max_f", "most", "F"),
                Ask("coil_h", "Coil", "H"),
                Ask("rest_f", "Everything else across it", "F"),
            ),
            _adjustable,
        ),
        Stage(
            "kept",
            "The old part",
            "It stays with the set.",
            (Ask("kept_where", "Where is it kept?", None, "in a bag on the chassis"),),
            _agreed,
        ),
    ),
    repair="replaced",
    follow=("a new adjuster on the chassis map, with its own label", "the band aligned anew at both ends"),
    reckon=("trimmer-range",),
)


def judge_heater(*, chain: str, old_v: float, old_a: float, new_v: float, new_a: float) -> Verdict:
    """Return whether a substitute valve's heater (V, A) may take the old one's place in a series chain or across a winding."""
    off, off_v = off_percent(found=new_a, wanted=old_a), off_percent(found=new_v, wanted=old_v)
    if chain == "series":
        evidence = (
            f"current {format_db(off)}\u00a0%",
            f"chain volts change by {format_si(new_v - old_v, unit='V', digits=2, signed=True)}",
        )
        if abs(off) > HEATER_LIMIT_PERCENT:
            return Verdict(
                "stop",
                "In a series chain every heater takes the same current: this one upsets all the others. Not without a shunt.",
                evidence,
            )
        if abs(off) > HEATER_PERCENT or abs(new_v - old_v) > 0.1 * old_v:
            return Verdict("watch", "It goes, with the dropper set again: measure the volts across every heater once it is warm.", evidence)
        return Verdict("good", "The chain stays in balance.", evidence)
    evidence = (f"volts {format_db(off_v)}\u00a0%", f"current {format_db(off)}\u00a0%")
    if abs(off_v) > HEATER_PERCENT:
        return Verdict("stop", "Across a winding the volts must be the same: this heater would be starved or burnt.", evidence)
    if off > 3 * HEATER_LIMIT_PERCENT:
        return Verdict("watch", "It draws far more: see whether the transformer stays cool after an hour.", evidence)
    return Verdict("good", "Its heater fits.", evidence)


def _heater(a: Answers) -> Verdict:
    return judge_heater(
        chain=a.text("chain"), old_v=a.number("old_v"), old_a=a.number("old_a"), new_v=a.number("new_v"), new_a=a.number("new_a")
    )


def _role(a: Answers) -> Verdict:
    if a.text("old_stays") == "yes":
        return Verdict("good", "The dead one stays in for its heater; say so on a label at the socket.")
    return Verdict("good", "Its base and electrodes were checked. Hear it, then peak what it is part of.")


SUBSTITUTE = Piece(
    "substitute",
    "A substitute valve",
    "the right type is not to be had",
    (
        Stage(
            "heater",
            "The heaters",
            "In a series chain one wrong heater is everybody’s.",
            (
                Ask("chain", "Heaters are in", choices=("series", "parallel")),
                Ask("old_v", "Old heater", "V"),
                Ask("old_a", "at", "A"),
                Ask("new_v", "Substitute", "V"),
                Ask("new_a", "at", "A"),
            ),
            _heater,
        ),
        Stage(
            "role",
            "In its place",
            "Base, pins, and what becomes of the old one.",
            (Ask("position", "Position", None, "V2"), Ask("old_stays", "Does a dead one stay in for its heater?", choices=YES_NO)),
            _role,
        ),
    ),
    follow=("volts across every heater, warm", "the stage it is part of peaked anew"),
    hazards=("valve-out", "hot"),
)


def _cold(a: Answers) -> Verdict:
    if a.number("leak_cold_ohm") < LEAK_LEAST_OHM:
        return Verdict("watch", "It leaks cold already: no need to wait, but see how much worse it gets.")
    return Verdict("good", "Sound cold, which clears nothing. Switch on, and read it again after ten minutes.")


CONTACT = Piece(
    "contact",
    "A relay or a contact",
    "the peak changes after relays have cycled or a switch was moved",
    (
        Stage(
            "found",
            "Cycle it",
            "Cycle it and read, each time.",
            (Ask("which", "Which contact"), REPEAT_ASK),
            lambda a: judge_repeats(a.numbers("repeats_v")),
        ),
    ),
    follow=("cleaned, then cycled again as often",),
    hazards=("solvents", "soldering"),
)

WARM_VALVE = Piece(
    "warm-valve",
    "A valve or part that fails warm",
    "it works cold and fades, or leaks after some minutes",
    (
        Stage("cold", "Cold", "Before it is switched on; the clock starts with this reading.", LEAK_ASKS[:1], _cold),
        Stage(
            "leak",
            "Warm",
            "It is not cleared before it has been warm for ten minutes.",
            LEAK_ASKS[1:],
            lambda a: judge_leak(cold_ohm=a.number("leak_cold_ohm"), warm_ohm=a.number("leak_warm_ohm"), minutes=a.number("warm_minutes")),
        ),
    ),
    follow=("again after an hour, and again cold",),
    hazards=("hot", "valve-out"),
)
