"""What to do about a band's dial, once its marks were read: leave it, or which moves bring it where; what cannot be met, by which part.

Within tolerance it is left alone, for what is turned makes more stale than it mends. Otherwise the adjusters are set for the least worst
error over the printed marks; the papers' own points, and exact where the owner listens, stand beside it with what each costs elsewhere.
After a pair of moves it is read again, and a second pair is advised only where it is worth it.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from calm_needle.core.constants import K95
from calm_needle.core.dossier.model import Group, Model
from calm_needle.core.physics.dial_causes import Cause, cause_of, doubts_about, padder_sigma, strange_from
from calm_needle.core.physics.dial_fit import PAPERS, TYPICAL, Fit, Reading, fit
from calm_needle.core.physics.dial_setting import Goal, Move, Setting, best_setting, moves_to
from calm_needle.core.procedure.decision import Curve, Decision, Found, Option, Picture, Tone
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.procedure.dial.cover import CoverShift, as_opened
from calm_needle.core.procedure.dial.evidence import Evidence, evidence_of
from calm_needle.core.procedure.dial.steps import (
    Means,
    cover_group,
    marks_after,
    means_named,
    more_marks,
    moving_group,
    pointer_group,
    reading_group,
    tuned_to_hz,
)
from calm_needle.core.procedure.dial.words import (
    between_words,
    cause_words,
    cover_words,
    doubt_words,
    error_words,
    mark,
    size,
    trimmer_words,
    untold_words,
    values_words,
)
from calm_needle.core.procedure.run import RunState
from calm_needle.errors import CalmNeedleError

WORTH, WORTH_SHARE = 1.08, 1.5e-4  # of the least worst error, and of the lowest mark besides: what a second pair of moves must promise
TWICE = 2  # readings of every mark
OFTEN = 6  # measurements of what a cover does, after which it is no use
WELL_INSIDE = 0.35  # of the tolerance
CURVE_POINTS = 61
COVERS = {True: "on", False: "off", None: ""}
PAPERS_POINTS = "Papers’ points"
# What the points are called at which a dossier has a band set, by its source: nobody's papers say those of a sketch.
POINTS_OF = {"a sister model's": "Sister’s points", "worked out at the bench": "Usual points"}
LEAVE, LEAST, BOOK, EXACT, AGAIN, COVER = "leave", "least-worst", "book", "exact", "again", "cover"
POINTER, MORE = "pointer", "more"


def dial_decision(model: Model, state: RunState, group: Group, asked: Mapping[str, Any]) -> Decision:
    """Return what to do about the band that a group has read. asked: listens_hz, where the owner listens, if anywhere; strip_hz, where the
    strip was found to peak; means, and carriers that are known; touch_up and aim, as the house style has them; tolerance_times and wish,
    how much the owner asks of this band."""
    bands = dial_bands(model, asked.get("pointer"))
    whole = bands[_band_of(group)].as_wished(float(asked.get("tolerance_times", 1.0)), str(asked.get("wish", "")))
    evidence = evidence_of(state.plan, state.visits, whole)
    if evidence.pointer:  # measured here, so it counts for what was read here
        whole = replace(whole, pointer=evidence.pointer)
        evidence = evidence_of(state.plan, state.visits, whole)
    band = whole.without(evidence.stuck)
    number = sum(g.id.startswith(f"move-{band.band.id}-".lower()) for g in state.plan.groups)
    numbers = number + 1, _number(state, band)
    means = means_named(str(asked.get("means", "counter")), asked.get("carriers", ()))
    title = f"The dial on {band.band.name}"
    again = Option(
        AGAIN,
        "Read them again",
        "The same marks once more, before anything is turned.",
        groups=(
            reading_group(model, band, means, marks_hz=_marks_read(evidence, band), number=numbers[1]) | {"title": f"{title}, read again"},
        ),
    )
    leave = Option(LEAVE, "Leave it as it is", "Nothing is turned.")
    readings = evidence.readings
    now = evidence.since_turned()
    doubts = doubts_about(
        band.drawn,
        now,
        others=[b.drawn for i, b in bands.items() if i != band.band.id],
        strip_hz=asked.get("strip_hz"),
        through_strip=means.reads != "oscillator",
    )
    # What was read twice alike is not read a third time: it stays as it is until somebody has found out.
    advised = LEAVE if len(now) >= TWICE * len({r.dial_hz for r in now}) else AGAIN
    in_order = (again, leave) if advised == AGAIN else (leave, again)
    measure = _measure_pointer(model, band, means, evidence, number=numbers[1])
    twice = " Read twice, and the same: leave it until that is found out." if advised == LEAVE else ""
    try:
        found = fit(band.drawn, readings) if readings else None
    except CalmNeedleError as fault:
        if doubts:
            sentence, what = doubt_words(band, doubts[0], now)
            return Decision(title, sentence, f"{what}{twice}", in_order, advised, "danger")
        return Decision(title, "These readings cannot be those of this band.", f"{fault}{twice}", in_order, advised, "danger", picture=None)
    if found is None:
        return Decision(
            title, "Nothing was read on this band.", "Read its marks, or go on to the next band.", (again, leave), AGAIN, "watch"
        )
    best = best_setting(found)
    picture = _picture(band, found, now)
    if doubts:
        sentence, what = doubt_words(band, doubts[0], now)
        first, last = in_order
        options = (first, *_ways(model, band, found, best, numbers=numbers, asked=asked), last, *measure)
        detail = {**_detail(band, found, None, evidence), "doubts": [d.kind for d in doubts]}
        if measure and doubts[0].kind == "contradiction":  # perhaps it is the pointer that does not come back
            advised, what, twice = POINTER, f"{what} Or the pointer does not come back to a mark: measure that first.", ""
        return Decision(title, sentence, f"{what}{twice}", options, advised, "danger", picture=picture, detail=detail)
    known = evidence.cover is not None and (evidence.cover.agrees or evidence.cover.times > OFTEN)
    if band.cover and number == 0 and not known:
        return _cover_first(model, band, means, evidence, leave, numbers=numbers, title=title, picture=picture)
    cause = cause_of(band.drawn, readings) if number == 0 or len(readings) > len(whole.read_at_hz) else None
    ways = _ways(model, band, found, best, numbers=numbers, asked=asked, cover=evidence.cover)
    decided = _decided(
        model, band, found, best, ways, leave, cause=cause, number=number, evidence_of=evidence, picture=picture, title=title, asked=asked
    )
    decided = _surer_first(model, band, means, found, decided, evidence, number=numbers[1])
    decided = decided._replace(options=(*decided.options, *measure))
    besides = (
        untold_words(padder_sigma(band.drawn, now)) if not cause and number == 0 and band.drawn.values_from == PAPERS else "",
        between_words(**_worst_between(found)),
        evidence.pointer.words() if evidence.pointer else "",
        values_words(band, _borne_out(band, readings) if number else None),
        cover_words(band, evidence.cover) if evidence.cover else "",
    )
    detail = {**decided.detail, "causes": [(f.subject, f.cause) for f in decided.found if f.cause]}
    return decided._replace(evidence=" ".join(filter(None, (decided.evidence, *besides))), detail=detail)


def _measure_pointer(model: Model, band: DialBand, means: Means, evidence: Evidence, *, number: int) -> tuple[Option, ...]:
    """The option to measure how the pointer comes back, where nobody has and it can be."""
    if band.pointer.returns or means.reads == "carrier" or band.band.scale_typical:
        return ()
    marks = band.drawn.marks_hz
    group = pointer_group(model, band, means, mark_hz=marks[len(marks) // 2], number=number)
    words = f"The mark at {mark(marks[len(marks) // 2])}, three times from either end of the scale. It is kept for this set."
    return (Option(POINTER, "Measure the pointer", words, groups=(group,), steps=tuple(s["title"] for s in group["steps"])),)


def _worst_between(found: Fit) -> dict[str, float]:
    """The largest error that is expected anywhere along the scale, its uncertainty (95 %), and where (Hz)."""
    marks = found.drawn.marks_hz
    at = np.geomspace(marks[0], marks[-1], CURVE_POINTS)
    errors = found.drawn.receives_hz(found.now, found.drawn.gang(at)) - at
    k = int(np.argmax(np.abs(errors)))
    return {"error_hz": float(errors[k]), "u95_hz": K95 * float(found.sigmas_hz(at)[k]), "at_hz": float(at[k])}


def _surer_first(model: Model, band: DialBand, means: Means, found: Fit, decided: Decision, evidence: Evidence, *, number: int) -> Decision:
    """Where leaving it is advised, and some mark may be within its tolerance or not for all that is known: that mark is read first, the
    least sure of them."""
    if decided.advised != LEAVE or means.reads == "carrier":
        return decided
    marks, read = np.asarray(found.drawn.marks_hz), {r.dial_hz for r in evidence.since_turned()}
    u95, tolerance = K95 * found.sigmas_hz(), band.tolerance_percent / 100.0 * marks
    open_ = np.abs(np.abs(found.errors_hz()) - tolerance) < u95
    open_ &= np.array([m not in read for m in marks])
    if not open_.any():
        return decided
    k = int(np.argmax(np.where(open_, u95 / marks, 0.0)))
    at = mark(float(marks[k]))
    group = reading_group(model, band, means, marks_hz=(float(marks[k]),), number=number) | {
        "title": f"The dial on {band.band.name}, a mark more"
    }
    more = Option(MORE, f"Read the mark at {at} too", "Nothing is turned for it.", groups=(group,))
    sentence = f"Undecided at {at}: read that mark too."
    why = f"There it is off by {size(float(found.errors_hz()[k]))} ± {size(float(u95[k]))} (95 %), and the tolerance lies within that."
    return decided._replace(
        sentence=sentence, evidence=f"{why} {decided.evidence}", options=(more, *decided.options), advised=MORE, tone="watch"
    )


def _borne_out(band: DialBand, readings: Sequence[Reading]) -> bool:
    """Whether the readings of a set are such as its own papers would have foretold with these values."""
    return fit(replace(band.drawn, values_from=PAPERS), readings).cost < strange_from(len(readings))


def _cover_first(
    model: Model,
    band: DialBand,
    means: Means,
    evidence: Evidence,
    leave: Option,
    *,
    numbers: tuple[int, int],
    title: str,
    picture: Picture,
) -> Decision:
    """Before anything is decided it is to be known what the cover does: the dial is read by somebody with it on."""
    mark_hz = max(evidence.since_turned(), key=lambda r: r.dial_hz).dial_hz
    group = cover_group(model, band, means, mark_hz=mark_hz, number=numbers[1])
    words = f"The mark at {mark(mark_hz)} is read with {band.cover} off and on, each twice."
    measure = Option(COVER, "Measure what the cover does", words, groups=(group,), steps=tuple(s["title"] for s in group["steps"]))
    if evidence.cover is None:
        why = f"These were read with {band.cover} off, and putting it on moves the dial. What it moves is allowed for in what is set."
        return Decision(title, "First see what its cover does.", why, (measure, leave), COVER, "live", picture=picture)
    why = f"{cover_words(band, evidence.cover)} Seat it as it will stay, and measure again."
    return Decision(title, "What its cover does is not certain yet.", why, (measure, leave), COVER, "watch", picture=picture)


def _decided(
    model: Model,
    band: DialBand,
    found: Fit,
    best: Setting,
    ways: Sequence[Option],
    leave: Option,
    *,
    cause: Cause | None,
    number: int,
    evidence_of: Evidence,
    picture: Picture,
    title: str,
    asked: Mapping[str, Any],
) -> Decision:
    marks = np.asarray(found.drawn.marks_hz)
    errors = found.errors_hz()
    at = int(np.argmax(np.abs(errors)))
    worst = float(abs(errors[at]))
    u95 = K95 * found.sigmas_hz()
    within = bool(np.all(np.abs(errors) <= band.tolerance_percent / 100.0 * marks))
    # What adjusters can do at the best is not known of a tank whose values nobody has written down, before they were turned once.
    can_be = bool(np.all(np.abs(best.errors_hz) <= band.tolerance_percent / 100.0 * marks)) or (
        number == 0 and band.drawn.values_from == TYPICAL
    )
    # A second pair of moves cannot better what the first was only brought near to; and what is well inside its tolerance needs none.
    # Nor can anybody better what is not known: neither by more than the readings tell, nor than the pointer comes back. Each
    # further pair has to promise more, for the one before promised too.
    finest = max(tuned_to_hz(float(marks[at]) + found.drawn.if_hz), math.hypot(float(u95[at]) / K95, band.pointer_hz(float(marks[at]))))
    worth = worst > WORTH * best.worst_hz + WORTH_SHARE * float(marks[0]) and (number == 0 or worst - best.worst_hz > number * finest)
    if number and not asked.get("touch_up"):
        worth = worth and bool(np.any(np.abs(errors) > WELL_INSIDE * band.tolerance_percent / 100.0 * marks))
    here = f"Worst at {mark(float(marks[at]))}: {error_words(band, dial_hz=float(marks[at]), error_hz=float(errors[at]))}."
    tolerance = f"Its tolerance is {band.tolerance_percent:g} % ({band.tolerance_from})."
    least = f"These adjusters can bring the worst down to {size(best.worst_hz)}."
    named = [cause_words(band, cause)] if cause else []
    more = [_stuck_words(model, band, found, evidence_of.stuck)] if evidence_of.stuck else []
    detail = _detail(band, found, best, evidence_of)

    def decide(sentence: str, evidence: str, *, advised: str, tone: Tone, found_too: Sequence[Found] = (*named, *more)) -> Decision:
        options = (leave, *ways) if advised == LEAVE else (*ways, leave)
        return Decision(title, sentence, f"{here} {tolerance} {evidence}".strip(), options, advised, tone, found_too, picture, detail)

    if not ways:
        tone: Tone = "good" if within else "watch"
        return decide("None of its adjusters can be turned; it stays as it is.", "", advised=LEAVE, tone=tone)
    if not can_be:
        causes = [*named, *more] or [_unmet_words(band, best)]
        sentence = f"It cannot be met with these adjusters. {causes[0].sentence}"
        return decide(sentence, least, advised=LEAST if worth else LEAVE, tone="watch", found_too=causes)
    if within and number == 0 and not asked.get("touch_up"):
        stale = "Turning anything here would make the front end of this band stale, and what was verified on it."
        if open_ := _nearest_to_its_limit(band, errors, u95):
            at_hz, chance = open_
            sentence = f"Undecided at {mark(at_hz)}: its error is nearer to its limit than its uncertainty."
            return decide(sentence, f"The chance that it is within is {100.0 * chance:.0f} %. {least} {stale}", advised=LEAVE, tone="watch")
        return decide("Within its tolerance: leave it alone.", f"{least} {stale}", advised=LEAVE, tone="good")
    if not worth:
        sentence = "As good as its adjusters can make it." if number else "Right already, as far as its adjusters go."
        return decide(f"{sentence} Go on.", least, advised=LEAVE, tone="good")
    way = next((w for w in ways if w.id == asked.get("aim")), ways[0])
    words = "One move brings" if len(way.steps) == 1 else f"{('', '', 'Two', 'Three')[len(way.steps)]} moves bring"
    reached = max((abs(e) for e in way.curve.error_hz), default=best.worst_hz) if way.curve and way.id != LEAST else best.worst_hz
    sentence = f"{words} it from {size(worst)} at the worst to {size(reached)}."
    why = "No other setting of these adjusters does better." if way.id == LEAST else f"{way.label}, as the house style has it. {least}"
    return decide(sentence, why, advised=way.id, tone="live")


def _nearest_to_its_limit(band: DialBand, errors_hz: NDArray[np.float64], u95_hz: NDArray[np.float64]) -> tuple[float, float] | None:
    """The mark (Hz) that is least surely within its tolerance, and the chance that it is; None where all surely are."""
    marks = np.asarray(band.drawn.marks_hz)
    room = (band.tolerance_percent / 100.0 * marks - np.abs(errors_hz)) / u95_hz
    k = int(np.argmin(room))
    return None if room[k] >= 1.0 else (float(marks[k]), 0.5 * (1.0 + math.erf(K95 * float(room[k]) / math.sqrt(2.0))))


def _ways(
    model: Model,
    band: DialBand,
    found: Fit,
    best: Setting,
    *,
    numbers: tuple[int, int],
    asked: Mapping[str, Any],
    cover: CoverShift | None = None,
) -> list[Option]:
    """The settings that can be aimed at, each with its moves and with what it costs elsewhere."""
    if not band.adjusters:
        return []
    listens_hz = asked.get("listens_hz")
    goals: list[tuple[str, str, Goal, tuple[float, ...]]] = [(LEAST, "Least worst", "least worst", ())]
    if band.book_hz:
        goals.append((BOOK, POINTS_OF.get(str(model.source.get("kind")), PAPERS_POINTS), "book points", band.book_hz))
    if listens_hz:
        goals.append((EXACT, f"Exact at {mark(listens_hz)}", "exact", (listens_hz,)))
    means = means_named(str(asked.get("means", "counter")), asked.get("carriers", ()))
    out: list[Option] = []
    for option_id, label, goal, at_hz in goals:
        setting = best if goal == "least worst" else best_setting(found, goal=goal, at_hz=at_hz)
        moves = as_opened(band.drawn, moves_to(found, setting, dial_hz=more_marks(band), pointer_hz=band.pointer_hz), cover)
        groups = (
            moving_group(model, band, means, moves, number=numbers[0]),
            reading_group(model, band, means, marks_hz=marks_after(band, means, moves, number=numbers[0]), number=numbers[1]),
        )
        steps = tuple(_as_act(model, band, means, move) for move in moves)
        marks = found.drawn.marks_hz
        k = max(range(len(marks)), key=lambda i, e=setting.errors_hz: abs(e[i]))  # type: ignore[misc]
        costs = (
            ("worst", f"{size(setting.worst_hz)} at {mark(marks[k])}"),
            ("ends", f"{size(setting.errors_hz[0])} and {size(setting.errors_hz[-1])}"),
            *(((f"at {mark(listens_hz)}", size(_error_at(found, setting, listens_hz))),) if listens_hz else ()),
        )
        ends = (
            f" {' and '.join(model.adjuster(band.adjusters[p]).name for p in setting.at_end)} would come to the end of its travel."
            if setting.at_end
            else ""
        )
        words = f"{' '.join(steps)}{ends}"
        out.append(Option(option_id, label, words, costs, groups, _curve(found, {**found.now, **setting.values}), steps))
    return out


def _as_act(model: Model, band: DialBand, means: Means, move: Move) -> str:
    """A move as somebody does it."""
    instrument, to_hz = ("oscillator", move.oscillator_hz) if means.reads == "oscillator" else ("generator", move.receives_hz)
    way = "up" if move.moves_hz > 0 else "down"
    adjuster = model.adjuster(band.adjusters[move.part]).phrase
    return f"Pointer to {mark(move.dial_hz)}, {instrument} to {mark(to_hz)}, with {adjuster}: {size(move.moves_hz)} {way}."


def _error_at(found: Fit, setting: Setting, at_hz: float) -> float:
    changes = {**found.now, **setting.values}
    return float(found.drawn.receives_hz(changes, found.drawn.gang((at_hz,)))[0]) - at_hz


def _unmet_words(band: DialBand, best: Setting) -> Found:
    """What to say where no part is plainly off, and the tolerance cannot be met all the same."""
    return Found(
        f"The dial on {band.band.name}",
        f"No single part is plainly off; {size(best.worst_hz)} is the least worst.",
        "Measure padder and coil; compare the gang’s sections at several angles.",
    )


def _stuck_words(model: Model, band: DialBand, found: Fit, stuck: frozenset[str]) -> Found:
    """An adjuster that does not move: what the others can do, and what fitting a trimmer in the padder's place would bring."""
    alone = best_setting(found)
    out = f"One adjuster has to do for two: the worst error is then {size(alone.worst_hz)}."
    if found.drawn.padder_f is not None and "padder" not in band.adjusters:
        with_padder = best_setting(found, turnable=(*found.drawn.turnable, "padder"))
        out += f" With the padder made adjustable ({trimmer_words(found.drawn.padder_f)}) it would be {size(with_padder.worst_hz)}."
    names = " and ".join(model.adjuster(a).name for a in sorted(stuck))
    return Found(f"The dial on {band.band.name}", f"{names[0].upper()}{names[1:]} cannot be turned, or not far enough.", out)


def _picture(band: DialBand, found: Fit, readings: Sequence[Reading]) -> Picture:
    curve = _curve(found, found.now)
    read = Curve(tuple(r.dial_hz for r in readings), tuple(r.error_hz for r in readings))
    return Picture(band.band.id, read, curve, tuple(band.tolerance_percent / 100.0 * f for f in curve.at_hz))


def _curve(found: Fit, changes: Mapping[str, float]) -> Curve:
    marks = found.drawn.marks_hz
    f = np.geomspace(marks[0], marks[-1], CURVE_POINTS)
    errors = found.drawn.receives_hz(changes, found.drawn.gang(f)) - f
    return Curve(tuple(f.tolist()), tuple(errors.tolist()))


def _detail(band: DialBand, found: Fit, best: Setting | None, evidence: Evidence) -> dict[str, Any]:
    """What is kept with the decision: figures only. errors_hz are fitted, read is what was shown; touches: how often it was turned."""
    errors = found.errors_hz().tolist()
    return {
        "band": band.band.id,
        "marks_hz": list(found.drawn.marks_hz),
        "errors_hz": errors,
        "sigmas_hz": found.sigmas_hz().tolist(),
        "read": [
            {"dial_hz": r.dial_hz, "error_hz": r.error_hz, "cover": COVERS[on]}
            for r, on in sorted(evidence.shown_since_turned(), key=lambda c: c.reading.dial_hz)
        ],
        "touches": sum(evidence.readings[-1].turned.values()) if evidence.readings else 0,
        "cover_shift_hz": [evidence.cover.dial_hz, evidence.cover.shift_hz] if evidence.cover else None,
        "worst_hz": max(abs(e) for e in errors),
        "least_worst_hz": best.worst_hz if best else None,
        "between": _worst_between(found),
        "pointer": band.pointer._asdict(),
        "causes": [],
        "padder_sigma": padder_sigma(band.drawn, evidence.since_turned()),
        "parts": {name: [value, found.sigma(name)] for name, value in found.now.items()},
    }


def _band_of(group: Group) -> str:
    band = group.steps[0].set_up.tuning.band
    assert band is not None
    return band


def _marks_read(evidence: Evidence, band: DialBand) -> tuple[float, ...]:
    seen = tuple(sorted({r.dial_hz for r in evidence.since_turned()}))
    return seen if len(seen) > 1 else band.read_at_hz


def _number(state: RunState, band: DialBand) -> int:
    """The next number of a group that reads this band."""
    return 1 + sum(g.decides != "" and g.steps[0].set_up.tuning.band == band.band.id for g in state.plan.groups)
