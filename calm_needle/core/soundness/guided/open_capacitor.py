"""One transformer hardly answers its core: is it the capacitor inside the can, and what is fitted outside in its place?

No dip though the inductance is there, and a dip once a capacitor is put across: the one inside is open. A good dip, an open winding or
shorted turns are other faults, and are told apart here.
"""

import math

from calm_needle.core.physics.coils import NEAR_STOP_PERCENT, reach, transformer_capacitor
from calm_needle.core.quantities import format_beside, format_si
from calm_needle.core.soundness.guided.piece import OPEN, Answers, Ask, Piece, Stage
from calm_needle.core.soundness.guided.rewind import off_percent
from calm_needle.core.verdict import State, Verdict

HARDLY_DB_PER_TURN = 0.5
OHM_LIKE_SISTER_PERCENT = 20.0
OHM_OF_ANOTHER_FAULT, L_LIKE_SISTER_PERCENT = 10.0, 30.0  # times the sister's ohms, from which on no wire is metered any more
LEAST_TURNS = 0.5  # of a core, from which on it tells whether its circuit answers
NO_DIP_DB, GOOD_DIP_DB = 0.5, 3.0
C_INSIDE_F = (30e-12, 1.2e-9)  # of the capacitors that cans of this kind have inside


def _answers(a: Answers) -> Verdict:
    turns = abs(a.number("turns_tried"))
    per_turn = abs(a.number("change_db")) / max(turns, 0.05)
    evidence = (f"{per_turn:.1f} dB a turn",)
    if per_turn >= HARDLY_DB_PER_TURN:
        return Verdict("stop", "It answers its core as a tuned circuit does: peak it; the fault is elsewhere.", evidence)
    if turns < LEAST_TURNS:
        return Verdict("stop", f"{turns:g} of a turn tells nothing: turn it {LEAST_TURNS:g} or more, counted, and back.", evidence)
    return Verdict("good", "It hardly answers: wax, an open winding, shorted turns, or its capacitor.", evidence)


def _winding(a: Answers) -> Verdict:
    if a.number("ohm_here") == OPEN:
        return Verdict("stop", "The winding itself is open: mend its leads, or wind it anew.")
    off = off_percent(found=a.number("ohm_here"), wanted=a.number("ohm_sister"))
    wide = a.number("l_max_h") / a.number("l_min_h")
    evidence: tuple[str, ...] = (f"ohms: {format_beside(off, 'the sister’s')}", f"inductance changes {wide:.2f} times over the travel")
    if a.number("ohm_here") > OHM_OF_ANOTHER_FAULT * a.number("ohm_sister"):
        return Verdict("stop", "The winding itself is open: what is metered is leakage. Mend its leads, or rewind it.", evidence)
    if off < -OHM_LIKE_SISTER_PERCENT:
        return Verdict("stop", "Fewer ohms than its sister: shorted turns, which no capacitor cures.", evidence)
    if off > OHM_LIKE_SISTER_PERCENT:
        return Verdict("stop", "More ohms than its sister: a poor joint at its leads; mend that first.", evidence)
    if wide < 1.02:
        return Verdict("stop", "The core changes nothing: it is loose on its thread, or held by wax.", evidence)
    if sister := a.maybe("l_sister_h", 0.0):
        middle = math.sqrt(a.number("l_min_h") * a.number("l_max_h"))
        apart = off_percent(found=middle, wanted=sister)
        evidence = (*evidence, f"inductance at mid-travel: {format_beside(apart, 'the sister’s')}")
        if abs(apart) > L_LIKE_SISTER_PERCENT:
            why = "shorted turns" if apart < 0 else "another winding than its sister’s, or one wound otherwise"
            return Verdict("stop", f"Its inductance is not its sister’s: {why}. No capacitor cures that.", evidence)
    return Verdict("good", "Winding and core are sound: it is what tunes it.", evidence)


def _dip(a: Answers) -> Verdict:
    without, across = a.number("dip_db"), a.number("dip_across_db")
    evidence = (f"{without:.1f} dB as it is", f"{across:.1f} dB with {format_si(a.number('across_f'), unit='F', digits=3)} across")
    if without >= GOOD_DIP_DB:
        return Verdict(
            "stop", "A good dip as it is: its capacitor is there, though it may be of another value. Look where the dip lies.", evidence
        )
    if across < GOOD_DIP_DB:
        return Verdict("stop", "No dip even with a capacitor across: shorted turns, or the generator does not reach it.", evidence)
    word = "No dip" if without < NO_DIP_DB else "Only a shallow dip"
    return Verdict("good", f"{word} until a capacitor is put across: the one inside is open. Fit one outside.", evidence)


def _choose(a: Answers) -> Verdict:
    found = transformer_capacitor(
        if_hz=a.number("if_hz"), l_min_h=a.number("l_min_h"), l_max_h=a.number("l_max_h"), stray_f=a.maybe("stray_f", 8e-12)
    )
    evidence = (
        f"{format_si(found.c_f, unit='F')} for the middle of the travel",
        f"it then reaches {format_si(found.f_low_hz, unit='Hz')} to {format_si(found.f_high_hz, unit='Hz')}",
        f"with {format_si(found.stock_c_f, unit='F', digits=2)}: {found.left_below_percent:.0f}\u00a0% of the travel below, "
        f"{found.left_above_percent:.0f}\u00a0% above",
    )
    if not C_INSIDE_F[0] <= found.c_f <= C_INSIDE_F[1]:
        wanted = format_si(a.number("if_hz"), unit="Hz")
        said = (
            f"{format_si(found.c_f, unit='F', digits=2)} for {wanted}: this inductance does not belong to this frequency. Meter it again."
        )
        return Verdict("stop", said, evidence)
    state: State = "good" if found.verdict == "within its travel" else "watch"
    return Verdict(state, f"Fit {format_si(found.stock_c_f, unit='F', digits=2)}, silvered mica or plastic film, beside the can.", evidence)


def _measured(a: Answers) -> Verdict:
    found = reach(
        if_hz=a.number("if_hz"),
        c_measured_f=a.number("c_measured_f"),
        l_min_h=a.number("l_min_h"),
        l_max_h=a.number("l_max_h"),
        stray_f=a.maybe("stray_f", 8e-12),
    )
    evidence = (f"wants {format_si(found.l_wanted_h, unit='H')}, {found.wanted_percent:.0f}\u00a0% along the travel",)
    if found.verdict.startswith("out of reach"):
        return Verdict(
            "stop", "With this very capacitor the core ends before it gets there: take another, by its measured value.", evidence
        )
    if found.verdict.startswith("near"):
        return Verdict("watch", "It just reaches, with nothing in hand: another of the drawer would be better.", evidence)
    return Verdict("good", "It reaches, whatever is printed on it. Fit it, and lift the old one out of the circuit.", evidence)


def _after(a: Answers) -> Verdict:
    at = a.number("peak_percent")
    if not NEAR_STOP_PERCENT <= at <= 100.0 - NEAR_STOP_PERCENT:
        return Verdict("watch", f"The peak lies {at:.0f}\u00a0% along: near a stop, so the capacitor is not yet the right one.")
    return Verdict(
        "good",
        f"The core stands {at:.0f}\u00a0% along its travel, clear of both stops. Peak the strip once more as a whole: only that shows a "
        "rise and a fall on either side.",
    )


PIECE = Piece(
    "open-capacitor",
    "A transformer that hardly answers",
    "one core changes next to nothing, the others peak",
    (
        Stage(
            "answers",
            "Does it answer?",
            "A tuned circuit answers its core by decibels, not tenths.",
            (
                Ask("turns_tried", "Turned", "turn", known="turns_tried"),
                Ask("change_db", "the reading changed by", "dB", known="change_db"),
            ),
            _answers,
        ),
        Stage(
            "winding",
            "Winding and core",
            "Ohms against the sister; inductance with the core at both ends of its travel. One end lifted, the core put back where it was.",
            (
                Ask("ohm_here", "This winding has", "Ω", meter="ohm", may_be_open=True, known="ohm"),
                Ask("ohm_sister", "its sister", "Ω", meter="ohm", of="sister", known="ohm"),
                Ask("l_min_h", "Inductance, core out", "H", meter="henry", core="out"),
                Ask("l_max_h", "core in", "H", meter="henry", core="in"),
                Ask("l_sister_h", "its sister, core in the middle", "H", meter="henry", of="sister", core="middle", optional=True),
            ),
            _winding,
        ),
        Stage(
            "dip",
            "Is there a dip?",
            "Generator into the lifted end, 47 kΩ from its other end to chassis, diode probe and meter across that; its partner shorted.",
            (
                Ask("dip_db", "Depth of the dip as it is", "dB", "0 for none", meter="dip"),
                Ask("across_f", "A capacitor held across", "F", "some 100 pF, by its measured value"),
                Ask("dip_across_db", "Depth with it", "dB", meter="dip", held="across_f"),
            ),
            _dip,
        ),
        Stage(
            "choose",
            "Which capacitor",
            "The one that puts the frequency into the middle of the travel.",
            (
                Ask("if_hz", "Intermediate frequency", "Hz", known="if_hz"),
                Ask("stray_f", "Strays", "F", "valve, leads and winding; left empty: 8 pF", optional=True),
            ),
            _choose,
        ),
        Stage(
            "measured",
            "The one in the hand",
            "Markings lie; what it measures decides whether the core still reaches.",
            (Ask("c_measured_f", "It measures", "F"),),
            _measured,
            act="put across",
        ),
        Stage(
            "after",
            "Where the peak lies",
            "The proof.",
            (Ask("peak_percent", "Peak found along the travel", "%", "where its core stands once the strip is peaked", meter="travel"),),
            _after,
        ),
    ),
    subject="winding",
    needs_sister=True,
    repair="mended",
    follow=("the whole strip peaked anew", "the can marked: its capacitor is outside now"),
    reckon=("transformer-capacitor", "reach", "dip"),
    hazards=("soldering", "brittle"),
)
