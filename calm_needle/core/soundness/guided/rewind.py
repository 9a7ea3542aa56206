"""A winding open beyond repair, and no data: wind it anew after its sister, direction kept, nothing irreversible before it is recorded.

Inductance, capacitance and resonance as found, when they agree, say that the sister is the right pattern. Self-capacitance counts.
"""

import math

from calm_needle.core.physics.coils import COPPER_OHM_M, multilayer_h, wire
from calm_needle.core.physics.resonance import resonant_frequency_hz
from calm_needle.core.quantities import format_beside, format_db, format_si
from calm_needle.core.soundness.guided.piece import OPEN, Answers, Ask, Piece, Stage
from calm_needle.core.verdict import Verdict

AGREES_PERCENT, DOUBTFUL_PERCENT = 4.0, 10.0
OHM_AGREES_PERCENT = 15.0
TURNS_SLACK = 0.03
L_GOOD_PERCENT, L_REACH_PERCENT = 3.0, 8.0  # what the adjuster takes up without leaving the middle of its travel, and at all
SELF_F = 10e-12  # of a bank-wound coil, where nobody has measured it


def off_percent(*, found: float, wanted: float) -> float:
    """Return by how many per cent a figure is off another."""
    return 100.0 * (found / wanted - 1.0)


def _said(percent: float) -> str:
    return f"{format_db(percent)}\u00a0%"


def _open(a: Answers) -> Verdict:
    ohm = a.number("ohm_found")
    if ohm != OPEN:
        return Verdict(
            "stop", f"It is not open: {format_si(ohm, unit='Ω', digits=3)}. Rewinding is the last resort; find what else is wrong."
        )
    if a.text("end_found") == "yes":
        return Verdict("watch", "The broken end can be seen: bridge it with a splice first; it may save the whole winding.", ("open",))
    return Verdict("good", "Open, and the break lies inside: it must be rewound.", ("open",))


def _sister(a: Answers) -> Verdict:
    l_h, c_f = a.number("sister_l_h"), a.number("c_found_f") + a.maybe("self_f", SELF_F)
    f = resonant_frequency_hz(l_h=l_h, c_f=c_f)
    off = off_percent(found=f, wanted=a.number("f_found_hz"))
    found = format_si(a.number("f_found_hz"), unit="Hz")
    evidence = (
        f"sister {format_si(l_h, unit='H')}, {format_si(a.number('sister_ohm'), unit='Ω', digits=3)}",
        f"with {format_si(c_f, unit='F')} in all: {format_si(f, unit='Hz')}, found {found}, {_said(off)}",
    )
    if abs(off) <= AGREES_PERCENT:
        return Verdict("good", "Inductance, capacitance and resonance agree: the sister is the pattern.", evidence)
    if abs(off) <= DOUBTFUL_PERCENT:
        return Verdict("watch", "They agree roughly: measure the capacitor out of circuit before the wire is cut.", evidence)
    return Verdict("stop", "They do not agree: the sister is of another value, or the capacitor is not the one that tuned it.", evidence)


def _recorded(a: Answers) -> Verdict:
    count, leads = (int(str(a.fact(name, 0))) for name in ("photographs", "leads_pinned"))
    if not count:
        return Verdict("stop", "No photograph is with the job yet. Nothing irreversible before winding, leads and former are photographed.")
    if not leads:
        return Verdict(
            "stop",
            "No photograph shows its leads yet: pin a lead where the winding starts, and one where it ends.",
            (f"{count} photographs, no lead pinned on any",),
        )
    words = "Direction, leads and pictures are recorded."
    if a.text("carries_dc") == "yes":
        words += " It carries direct current: its partner has the same age and strain, so plan to wind both."
    if not a.fact("consent", False):
        return Verdict(
            "watch", f"{words} The owner’s word for a change that cannot be undone is not written down.", (f"{leads} leads pinned",)
        )
    return Verdict("good", words, (f"{leads} leads pinned",))


def target(a: Answers) -> tuple[float, float, float, float]:
    """Return turns for the sister's inductance on the former as measured, length of wire (m), diameter of copper (m), ohms to expect."""
    diameter = wire(ohm=a.number("sample_ohm"), length_m=a.number("sample_m")).diameter_m
    one = multilayer_h(turns=1.0, mean_radius_m=a.number("mean_d_m") / 2.0, length_m=a.number("width_m"), depth_m=a.number("depth_m"))
    turns = math.sqrt(a.number("sister_l_h") / one)
    length = math.pi * a.number("mean_d_m") * turns
    return turns, length, diameter, COPPER_OHM_M * length / (math.pi * diameter**2 / 4.0)


def _plan(a: Answers) -> Verdict:
    turns, length, diameter, ohm = target(a)
    off = off_percent(found=ohm, wanted=a.number("sister_ohm"))
    sister = format_si(a.number("sister_ohm"), unit="Ω", digits=3)
    evidence = (
        f"wire {format_si(diameter, unit='m', digits=3)} of copper, from ohms per metre",
        f"Wheeler, on the former as measured: {turns:.0f} turns, {format_si(length, unit='m', digits=3)} of wire",
        f"it will have {format_si(ohm, unit='Ω', digits=3)}, the sister has {sister}: {_said(off)}",
    )
    if abs(off) > OHM_AGREES_PERCENT:
        return Verdict(
            "watch", f"Wind {turns:.0f} turns; but the ohms do not fit: another wire, or the former was measured wrongly.", evidence
        )
    return Verdict(
        "good", f"Wind {turns:.0f} turns of {format_si(diameter, unit='m', digits=2)}: ohms and inductance both fit the sister.", evidence
    )


def _wound(a: Answers) -> Verdict:
    turns, planned = a.number("turns_wound"), target(a)[0]
    off = turns / planned - 1.0
    if abs(off) > 10 * TURNS_SLACK:
        return Verdict("watch", f"{turns:.0f} turns, where {planned:.0f} were planned. Measure before it is varnished.")
    return Verdict("good", f"{turns:.0f} turns on, {planned:.0f} were planned. Measure it before it is varnished.")


def _measured(a: Answers) -> Verdict:
    if a.number("new_ohm") == OPEN or a.number("new_l_h") == OPEN:
        return Verdict("stop", "The new winding is open: a lead has broken, or its enamel is still on.")
    wanted, turns = a.number("sister_l_h"), a.number("turns_wound")
    off = off_percent(found=a.number("new_l_h"), wanted=wanted)
    ohm_off = off_percent(found=a.number("new_ohm"), wanted=a.number("sister_ohm"))
    evidence = (f"inductance: {format_beside(off, 'the sister’s')}", f"ohms: {format_beside(ohm_off, 'the sister’s')}")
    more = turns * (math.sqrt(wanted / a.number("new_l_h")) - 1.0)
    turn = f"{'put on' if more > 0 else 'take off'} {abs(more):.0f} turns"
    if abs(off) > L_REACH_PERCENT:
        return Verdict("stop", f"{_said(off)} is more than the adjuster takes up: {turn}.", evidence)
    if abs(ohm_off) > 2 * OHM_AGREES_PERCENT:
        return Verdict("stop", "The ohms are far from the sister’s: shorted turns, or another wire.", evidence)
    if abs(off) > L_GOOD_PERCENT:
        return Verdict("watch", f"Within what the adjuster takes up; {turn} for a match.", evidence)
    return Verdict("good", "It matches its sister. Varnish it, and fit it.", evidence)


def _fitted(a: Answers) -> Verdict:
    if a.text("as_before") != "yes":
        return Verdict("stop", "Turn it round or change its leads over: the direction was recorded for this.")
    return Verdict("good", "Fitted as it was. Hear it, then peak the whole strip anew.")


YES_NO = ("yes", "no")
PIECE = Piece(
    "rewind",
    "Wind a coil anew",
    "a winding is open beyond repair, and there is no data on it",
    (
        Stage(
            "open",
            "Is it open?",
            "A rewind is the last resort.",
            (
                Ask(
                    *("ohm_found", "The winding has", "Ω", "“open” where the meter shows nothing"),
                    meter="ohm",
                    may_be_open=True,
                    known="ohm",
                ),
                Ask("end_found", "Can the broken end be seen?", choices=YES_NO),
            ),
            _open,
        ),
        Stage(
            "sister",
            "The sister as pattern",
            "What is as found must agree with what the sister measures, or it is no pattern.",
            (
                Ask("sister_l_h", "The sister has", "H", "its core in the middle of its travel", meter="henry", of="sister", core="middle"),
                Ask("sister_ohm", "and", "Ω", meter="ohm", of="sister", known="ohm"),
                Ask("c_found_f", "Capacitor as found", "F", "across the open winding, one end lifted", meter="farad"),
                Ask(
                    *("f_found_hz", "Resonance as found", "Hz", "of the sister circuit by its dip, its core in the middle too"),
                    meter="resonance",
                    of="sister",
                    core="middle",
                ),
                Ask("self_f", "Capacitance of a winding itself", "F", "left empty: 10 pF", optional=True),
            ),
            _sister,
        ),
        Stage(
            "recorded",
            "Before anything is cut",
            "Direction and leads cannot be found out afterwards.",
            (
                Ask("direction", "Direction, seen from the free end", choices=("clockwise", "anticlockwise")),
                Ask("start_lead", "Start of the winding goes to", None, "tag, pin or colour"),
                Ask("finish_lead", "its finish to", None, "tag, pin or colour"),
                Ask("carries_dc", "Does it carry direct current?", choices=YES_NO),
            ),
            _recorded,
        ),
        Stage(
            "plan",
            "Wire and turns",
            "Gauge from ohms per metre of the old wire, turns from the inductance and the former.",
            (
                Ask("sample_m", "A length of the old wire", "m", "a metre or more, its ends tinned"),
                Ask("sample_ohm", "has", "Ω", meter="wire", held="sample_m"),
                Ask("mean_d_m", "Mean diameter of the winding", "m", meter="mean diameter"),
                Ask("width_m", "Width of the winding", "m", meter="width"),
                Ask("depth_m", "Depth of the winding", "m", meter="depth"),
            ),
            _plan,
        ),
        Stage("wound", "Wind it", "Count, and keep the direction.", (Ask("turns_wound", "Turns wound", "turn"),), _wound, True, "wind"),
        Stage(
            "measured",
            "Against its sister",
            "Before the varnish: turns can still be taken off.",
            (
                Ask(
                    "new_l_h",
                    "The new winding has",
                    "H",
                    "core in the middle, as its sister",
                    meter="henry",
                    may_be_open=True,
                    core="middle",
                ),
                Ask("new_ohm", "and", "Ω", meter="ohm", may_be_open=True),
            ),
            _measured,
        ),
        Stage(
            "fitted",
            "Back in its place",
            "A winding the other way round makes the coupling another.",
            (Ask("as_before", "Direction and leads as recorded?", choices=YES_NO),),
            _fitted,
        ),
    ),
    subject="winding",
    needs_sister=True,
    repair="wound anew",
    follow=("the volts at its anode, under the limiter first", "the whole strip peaked anew: a new winding moves its partner"),
    reckon=("rewind", "wire", "multilayer", "resonance"),
    hazards=("soldering", "brittle"),
)
