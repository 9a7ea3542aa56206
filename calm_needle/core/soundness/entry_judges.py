"""What the figures of an entry say: each judge takes an entry's fields as they were checked, and nothing else."""

import itertools
import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.form import OPEN_WORDS
from calm_needle.core.physics.supply import dropping_resistor
from calm_needle.core.pictures import Taps
from calm_needle.core.quantities import format_beside, format_db, format_plain, format_si, parse_list, parse_si
from calm_needle.core.verdict import Verdict
from calm_needle.errors import CalmNeedleError, NotUnderstood

WORTH_STOP = 1.0  # times the value: more than that is not spent without another reason
WORTH_ASK = 0.6
HEARS_DB, DEAF_DB = 6.0, 2.0  # rise of the noise with an aerial, from which on the set hears the band; up to which it does not
NOISY_DB = 6.0  # room noise above the set's own, at which a sensitivity measured here says little
HOT_C, WARM_C, SOAKED_MIN = 110.0, 80.0, 10.0  # of carbon resistors and waxed parts on a bench at 20 °C
SHORT_OHM = 10e3
PLATE_OHM = 5.0

COMES_TO = "come to a value"
# When a prediction is looked at, and the phase that is done by then; empty where another thing must have happened.
NEXT_CHANGE, WARM = "after the next change", "once it is warm"
LOOKED_AT: dict[str, str] = {
    NEXT_CHANGE: "",
    WARM: "",
    "after IF": "intermediate frequency",
    "after oscillator and dial": "oscillator and dial",
    "after front end": "front end",
    "at verification": "front end",
}
UNMOVED_SHARE, UNMOVED_DB, NEAR_SHARE = 0.03, 0.3, 0.1  # up to which a figure has stayed; within which it has come to a value
ABOUT_TIMES = (0.5, 2.0)  # of what was said, between which a change is about that much

ALIKE_PERCENT, APART_PERCENT = 10.0, 30.0  # of a reading in one set against the same in another of its kind


class Worth(NamedTuple):
    """Cost to finish, least and most, what to do, and why."""

    low: float
    high: float
    advice: str
    sentence: str


def judge_worth(entry: Mapping[str, str]) -> Verdict:
    """Judge whether the set is worth its hours and parts."""
    worth = worth_it(entry)
    states: dict[str, Literal["good", "watch", "stop"]] = {"go": "good", "ask": "watch", "stop": "stop"}
    return Verdict(states[worth.advice], worth.sentence)


def noise_above_db(entry: Mapping[str, str]) -> float | None:
    """Return by how many decibels a source in the room is above what is heard without it; None where nothing was heard."""
    on, off = parse_si(entry["on_v"], unit="V"), parse_si(entry["off_v"], unit="V")
    return 20.0 * math.log10(on / off) if off > 0 and on > 0 else None


def judge_noise(entry: Mapping[str, str]) -> Verdict:
    """Judge a source of noise in the room, on against off."""
    more = noise_above_db(entry)
    if more is None:
        return Verdict("watch", "An output of nothing says nothing: turn the volume up, and read both again.")
    if more >= NOISY_DB:
        return Verdict("stop", f"{format_db(more)} dB with it on: off with it before sensitivity is measured.")
    return Verdict("good", f"{format_db(more)} dB with it on: it may stay.")


def judge_noise_rise(entry: Mapping[str, str]) -> Verdict:
    """Judge by how much the noise rises with an aerial: a set whose own noise is the least of it hears the band's."""
    more = noise_above_db(entry)
    if more is None:
        return Verdict("watch", "An output of nothing says nothing: turn the volume up, and read both again.")
    if more >= HEARS_DB:
        return Verdict("good", f"{format_db(more)} dB with the aerial: the set receives the noise of the band.")
    if more < DEAF_DB:
        return Verdict("stop", f"{format_db(more)} dB with the aerial: the set’s own noise hides the band. Measure its sensitivity.")
    return Verdict("watch", f"{format_db(more)} dB with the aerial: read it again at another hour.")


def judge_warmth(entry: Mapping[str, str]) -> Verdict:
    """Judge how warm a part gets after so many minutes."""
    degrees, minutes = parse_si(entry["degrees"], unit="°C"), parse_si(entry["minutes"], unit="")
    if degrees >= HOT_C:
        return Verdict("stop", f"{degrees:.0f} °C: it is too small for what it carries. Off, and fit one of twice the watts.")
    if minutes < SOAKED_MIN:
        return Verdict("watch", f"{degrees:.0f} °C after {minutes:.0f} min: look again after {SOAKED_MIN:.0f}.")
    if degrees >= WARM_C:
        return Verdict("watch", f"{degrees:.0f} °C: near what it bears; see what it carries against its rating.")
    return Verdict("good", f"{degrees:.0f} °C: as it should be.")


def judge_comparison(entry: Mapping[str, str]) -> Verdict:
    """Judge a reading beside the same one in a good set."""
    suspect, good = (parse_si(entry[name], unit=entry["unit"]) for name in ("suspect", "good"))
    if good == 0:
        return Verdict("watch", "The good one shows nothing: say of which place and with what it was read.")
    off = 100.0 * (suspect / good - 1.0)
    said = format_beside(off, "the good one’s")
    said = f"{said[0].upper()}{said[1:]}"
    if abs(off) <= ALIKE_PERCENT:
        return Verdict("good", f"{said}: alike, as far as the two sets are the same.")
    return Verdict("watch" if abs(off) <= APART_PERCENT else "stop", f"{said}. That the two are the same otherwise is assumed.")


def judge_gang_short(entry: Mapping[str, str]) -> Verdict:
    """Judge where a gang is short: plates, dirt, or something else across it."""
    here, away = parse_si(entry["ohm"], unit="Ω"), parse_si(entry["away_ohm"], unit="Ω")
    if here >= SHORT_OHM:
        return Verdict("good", "No short there.")
    if away < SHORT_OHM:
        return Verdict("watch", "Short everywhere: a trimmer, a coil still across it, or a bent tag; not the plates.")
    if here < PLATE_OHM:
        return Verdict("stop", "A hard short at one place: a plate touches there. Straighten it by eye against the light.")
    return Verdict("stop", "A poor short at one place: dirt or swarf between the plates. Blow it out; do not burn it out.")


def settle_prediction(entry: Mapping[str, str], typed: str) -> str | None:
    """Return whether a prediction was hit or missed by the figure that was read at its time; None for one that gave none to compare with.

    Raises NotUnderstood for what is no figure in its unit.
    """
    if "unit" not in entry:  # of an earlier version, which asked for words alone
        return None
    unit = entry["unit"]
    now, then = parse_si(entry["now"], unit=unit), parse_si(typed, unit=unit)
    by = parse_si(entry["by"], unit=unit) if entry.get("by") else None
    change, unmoved = then - now, UNMOVED_DB if unit == "dB" else UNMOVED_SHARE * abs(now)
    if entry["expected"] == COMES_TO:
        assert by is not None
        return "hit" if abs(then - by) <= (UNMOVED_DB if unit == "dB" else NEAR_SHARE * abs(by)) else "missed"
    if entry["expected"] == "stay":
        return "hit" if abs(change) <= unmoved else "missed"
    moved = change if entry["expected"] == "rise" else -change
    if by is None:
        return "hit" if moved > unmoved else "missed"
    return "hit" if ABOUT_TIMES[0] * abs(by) <= moved <= ABOUT_TIMES[1] * abs(by) else "missed"


def worth_it(entry: Mapping[str, str]) -> Worth:
    """Return the cost to finish with its range, against what the set is worth. entry: as check() returned it."""
    number = {k: parse_si(entry[k], unit="") for k in ("hours_low", "hours_high", "rate", "parts_low", "parts_high", "value")}
    low = number["hours_low"] * number["rate"] + number["parts_low"]
    high = number["hours_high"] * number["rate"] + number["parts_high"]
    chance = parse_si(entry["chance"], unit="%") / 100.0 if entry.get("chance") else 1.0
    number["value"] *= chance
    said = f"{low:.0f} to {high:.0f} to finish, against {number['value']:.0f}{' by its chance' if chance < 1.0 else ''}."
    if low > WORTH_STOP * number["value"]:
        return Worth(low, high, "stop", f"{said} Even the least is more than it is worth: stop, unless it is wanted for itself.")
    if high > WORTH_ASK * number["value"]:
        return Worth(low, high, "ask", f"{said} It may come to most of what it is worth: must-pass tests first, then ask the owner.")
    return Worth(low, high, "go", f"{said} Go on.")


THREE_WAY_PERCENT, HALVES_PERCENT = 6.0, 3.0  # between readings of one transformer; between its two halves
JUMP_OF_TRACK = 0.25  # of the whole track, that one step of a sound control does not make
MOVED_PERCENT = 3.0  # of a reading before and after cleaning, that is worth words


def _uneven_percent(entry: Mapping[str, str]) -> float:
    """By how much one half of a centre-tapped winding gives less than the other (%); 0 where only one was read."""
    if not entry.get("other_v"):
        return 0.0
    low, high = sorted(parse_si(entry[name], unit="V") for name in ("now_v", "other_v"))
    return 100.0 * (1.0 - max(low, 0.0) / high) if high > 0 else 0.0


def judge_transformer(entry: Mapping[str, str]) -> Verdict:
    """Judge a transformer's volts three ways: now, bare as read earlier, and as calculated; every two of them against each other."""
    named = [(words, entry.get(name)) for name, words in (("now_v", "now"), ("bare_v", "bare, earlier"), ("calculated_v", "calculated"))]
    known = [(words, parse_si(text, unit="V")) for words, text in named if text]
    if (uneven := _uneven_percent(entry)) > HALVES_PERCENT:
        said = f"Its halves differ by {format_db(uneven)}\u00a0%: turns are shorted in the lower one, or one of them is loaded."
        return Verdict("stop", said)
    if len(known) < 2 or any(v <= 0 for _, v in known):
        return Verdict("watch", "One reading says nothing: read it bare, or calculate it from the turns.")
    # What it gives against what it gave or should give: now against bare, and each of them against the sums.
    apart = [(a, b, 100.0 * (v / w - 1.0)) for i, (a, v) in enumerate(known) for b, w in known[i + 1 :]]
    worst = max(apart, key=lambda p: abs(p[2]))
    evidence = tuple(f"{a} against {b}: {format_db(off)}\u00a0%" for a, b, off in apart)
    if abs(worst[2]) <= THREE_WAY_PERCENT:
        return Verdict("good", f"All within {THREE_WAY_PERCENT:.0f}\u00a0% of each other: the transformer is what it should be.", evidence)
    what = "loaded now, or shorted turns" if worst[2] < 0 else "less load now, or other taps"
    return Verdict("stop", f"{worst[0].capitalize()} against {worst[1]}: {format_db(worst[2])}\u00a0%, {what}.", evidence)


def judge_sweep_of_control(entry: Mapping[str, str]) -> Verdict:
    """Judge a control metered over its travel: its worst spot; one clean pass does not clear a kind that is known to be weak."""
    ohms = parse_list(entry["ohms"], unit="Ω")
    if len(ohms) < 5:
        return Verdict("watch", "Five places or more, from one end to the other: a bad spot is narrow.")
    track = max(ohms) - min(ohms)
    if track <= 0:
        return Verdict("stop", "It does not change at all: the slider does not touch, or the wrong tags were metered.")
    steps = [b - a for a, b in itertools.pairwise(ohms)]
    rising = sum(steps) > 0
    worst = min(range(len(steps)), key=lambda i: steps[i] if rising else -steps[i])
    back = -(steps[worst] if rising else -steps[worst])
    at = f"{100.0 * (worst + 0.5) / len(steps):.0f}\u00a0% along"
    if back > 0.02 * track:
        return Verdict("stop", f"It goes back by {format_si(back, unit='Ω', digits=2)} {at}: a dead spot. Clean it, and sweep it again.")
    jump = max(abs(x) for x in steps)
    if jump > max(JUMP_OF_TRACK * track, 3.0 * track / len(steps)):
        at = f"{100.0 * (max(range(len(steps)), key=lambda i: abs(steps[i])) + 0.5) / len(steps):.0f}\u00a0% along"
        return Verdict("watch", f"It jumps by {format_si(jump, unit='Ω', digits=2)} {at}: worn there, or of another law.")
    return Verdict("watch", "Clean over this pass. Controls of a weak kind are cleared by a second, on another day.")


def judge_effect(entry: Mapping[str, str]) -> Verdict | None:
    """Judge what cleaning has changed, by the figure before and after; None where none was read."""
    if not entry.get("before") or not entry.get("after"):
        return None
    unit = entry.get("unit") or "V"
    before, after = (parse_si(entry[name], unit=unit) for name in ("before", "after"))
    if unit == "dB":
        return Verdict("good", f"{format_db(after - before)} dB.")
    if before == 0:
        return Verdict("watch", f"From nothing to {format_plain(after, unit=unit)}.")
    off = 100.0 * (after / before - 1.0)
    return Verdict("good" if abs(off) >= MOVED_PERCENT else "watch", f"{format_beside(off, 'what it was before').capitalize()}.")


def judge_orientation(entry: Mapping[str, str]) -> Verdict | None:
    """Judge whether a device stands as it does on a good board; None where there is none to compare with."""
    good = entry.get("good", "").strip().lower()
    if not good:
        return None
    if good == entry["direction"].strip().lower():
        return Verdict("good", "As on the good board.")
    return Verdict("stop", f"On the good board it points to {entry['good']}: suspect, until its pins are told apart by a meter.")


def judge_trials(entries: Sequence[Mapping[str, str]]) -> Verdict | None:
    """Judge the trials of a dropping resistor together: the next value, from the last two, and what it must bear.

    Two trials give source and load; one gives the load alone, if the volts before the resistor are known.
    """
    if not entries:
        return None
    last = entries[-1]
    wanted = parse_si(last["wanted_v"], unit="V")
    ohm, volts = (parse_si(last[name], unit=unit) for name, unit in (("ohm", "Ω"), ("out_v", "V")))
    source = parse_si(last["source_v"], unit="V") if last.get("source_v") else None
    if source is None and len(entries) > 1:
        other_ohm, other_v = (parse_si(entries[-2][name], unit=unit) for name, unit in (("ohm", "Ω"), ("out_v", "V")))
        source = _source_of(ohm, volts, other_ohm, other_v)
    if source is None:
        return Verdict("watch", "One trial without the volts before the resistor: read those, or try a second value.")
    try:
        found = dropping_resistor(r_trial_ohm=ohm, v_trial=volts, v_wanted=wanted, v_source=source)
    except CalmNeedleError as fault:
        return Verdict("stop", str(fault))
    evidence = [
        f"{format_si(found.current_a, unit='A', digits=3)} through it, {format_si(found.watts, unit='W', digits=2)} in it",
        f"source {format_si(source, unit='V', digits=3)}",
    ]
    if last.get("rating_w"):
        rating = parse_si(last["rating_w"], unit="W")
        evidence.append(f"{100.0 * found.watts / rating:.0f}\u00a0% of its own {format_plain(rating, unit='W')}")
    off = 100.0 * (volts / wanted - 1.0)
    if abs(off) <= 2.0:
        return Verdict("good", f"{format_plain(volts, unit='V')} for {format_plain(wanted, unit='V')}: it stays.", tuple(evidence))
    said = f"Next try {format_si(found.stock_ohm, unit='Ω', digits=2)} of {format_plain(found.rating_w, unit='W')} or more"
    return Verdict("watch", f"{said}; exactly {format_si(found.r_ohm, unit='Ω', digits=3)}.", tuple(evidence))


def _source_of(r1: float, v1: float, r2: float, v2: float) -> float | None:
    """The volts behind two trial resistors that fed one constant load; None where they say nothing."""
    # v = V R_load / (R_load + r): two equations.
    if abs(v1 - v2) < 1e-6 or r1 == r2:
        return None
    load = (v2 * r2 - v1 * r1) / (v1 - v2)
    return v1 * (load + r1) / load if load > 0 else None


def judge_taps(entry: Mapping[str, str]) -> Verdict:
    """Judge a winding's taps, metered pair by pair («1-2 4.1; 2-3 12; 1-3 16»): an open one, and sums that do not come out."""
    pairs = read_taps(entry["pairs"])
    open_ones = [f"{a}–{b}" for a, b, ohm in pairs if math.isinf(ohm)]
    if open_ones:
        return Verdict("stop", f"Open between {', '.join(open_ones)}.")
    known = {frozenset((a, b)): ohm for a, b, ohm in pairs}
    for a, b, ohm in pairs:
        for c, d, more in pairs:
            if b == c and (whole := known.get(frozenset((a, d)))) is not None and abs(whole - ohm - more) > max(0.5, 0.1 * whole):
                said = f"{a}–{b} and {b}–{d} come to {ohm + more:.1f} Ω, {a}–{d} has {whole:.1f}"
                return Verdict("watch", f"{said}: a tap taken for another.")
    if len(pairs) < 2:
        return Verdict("watch", "One pair is no ladder: meter each tap against the next.")
    return Verdict("good", f"{len(pairs)} pairs, none open, and they add up.")


def taps_drawn(entry: Mapping[str, str]) -> Taps | None:
    """Return a winding with its tags in their order along it; None where the pairs do not hang together.

    Pairs that were read from neighbour to neighbour are a chain as they stand. Otherwise the two tags with the most ohms between them are
    the ends, and every other stands as far along as it has ohms to the first.
    """
    pairs = read_taps(entry["pairs"])
    ohms = {frozenset((a, b)): ohm for a, b, ohm in pairs if a != b}
    ladder = _chain(ohms) or _by_ohms(ohms)
    if ladder is None:
        return None
    if ladder[0] > ladder[-1]:  # as one counts them
        ladder.reverse()
    start = {tag: ohms.get(frozenset((tag, ladder[0])), 0.0) for tag in ladder}
    between = [ohms.get(frozenset(p), abs(start[p[1]] - start[p[0]])) for p in itertools.pairwise(ladder)]
    return Taps(f"Taps of {entry['winding']}", ladder, between)


def _chain(ohms: Mapping[frozenset[str], float]) -> list[str] | None:
    """The tags one after the other where each pair is of two neighbours; None where they branch, close, or hang apart."""
    beside: dict[str, list[str]] = {}
    for a, b in ohms:
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    ends = sorted(tag for tag, others in beside.items() if len(others) == 1)
    if len(ends) != 2:
        return None
    ladder = [ends[0]]
    while after := [tag for tag in beside[ladder[-1]] if tag not in ladder]:
        ladder.append(after[0])
    return ladder if len(ladder) == len(beside) == len(ohms) + 1 else None


def _by_ohms(ohms: Mapping[frozenset[str], float]) -> list[str] | None:
    """The tags by their ohms to one end; None where one of them was not read against what hangs on that end."""
    finite = {pair: ohm for pair, ohm in ohms.items() if not math.isinf(ohm)}
    if not finite:
        return None
    ends: frozenset[str] = max(finite, key=finite.__getitem__)
    start = min(ends)
    tags = {tag for pair in ohms for tag in pair}
    at = {start: 0.0}
    while left := [(at[a] + ohm, b) for pair, ohm in ohms.items() for a, b in itertools.permutations(pair) if a in at and b not in at]:
        place, tag = min(left)
        at[tag] = ohms.get(frozenset((tag, start)), place)
    return sorted(at, key=lambda tag: at[tag]) if len(at) == len(tags) else None


def judge_leads(entry: Mapping[str, str]) -> Verdict:
    """Say what is taken off for the leads. Raises NotUnderstood where neither was read."""
    known = [text for name in ("open_f", "short_ohm") if (text := entry.get(name))]
    if not known:
        raise NotUnderstood("nothing", why="takes nothing off: type what the tips show apart, or together", example="2.9 pF")
    return Verdict("good", f"{' and '.join(known)}, taken off what is typed after it.")


HALF_UNDONE, UNREAD = "half undone", "could not be read"
# What a section of the chassis is found to be, beside the papers, and what that says.
SECTIONS: dict[str, Verdict] = {
    "as built": Verdict("good", "As built."),
    "changed, and whole": Verdict("watch", "Changed: the papers’ figures hold here only as far as the change leaves them."),
    HALF_UNDONE: Verdict("stop", "Half of somebody’s change is still in it: undo the rest, or finish it, before anything is aligned."),
    UNREAD: Verdict("watch", "Unread: a risk that stays until it is read."),
}


def judge_section(entry: Mapping[str, str]) -> Verdict:
    """Judge one section that was compared with the papers."""
    return SECTIONS[entry["found"]]


def judge_sections(entries: Sequence[Mapping[str, str]]) -> Verdict | None:
    """Judge all sections together, the last word on each: what was read, and the risk that is left."""
    last = {e["section"].strip().lower(): e for e in entries}
    if not last:
        return None
    unread = [e for e in last.values() if e["found"] == UNREAD]
    halves = [e for e in last.values() if e["found"] == HALF_UNDONE]
    evidence = tuple(f"{e['section']}: {e['found']}{', ' + e['what'] if e.get('what') else ''}" for e in (*halves, *unread))
    read = f"{len(last) - len(unread)} of {len(last)} sections read"
    if halves:
        return Verdict("stop", f"{read}; {len(halves)} half undone.", evidence)
    if unread:
        return Verdict("watch", f"{read}; what could not be read may hold any earlier change.", evidence)
    return Verdict("good", f"{read}: no half-done change in them.")


def read_taps(text: str) -> list[tuple[str, str, float]]:
    """Return the pairs of a ladder as typed: two tags, and the ohms between (infinite for “open”). Raises NotUnderstood."""
    out = []
    for piece in (p.strip() for p in text.split(";")):
        if not piece:
            continue
        tags, _, ohms = piece.partition(" ")
        a, _, b = tags.replace("–", "-").partition("-")
        if not a or not b or not ohms.strip():
            raise NotUnderstood(piece[:30], why="is no pair of tags with its ohms", example="1-2 4.1; 2-3 12; 1-3 open")
        out.append((a, b, math.inf if ohms.strip().lower() in OPEN_WORDS else parse_si(ohms, unit="Ω")))
    return out
