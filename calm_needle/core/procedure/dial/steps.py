"""The steps of the dial as a plan writes them: marks to be read, moves to be made, each with everything that is set for it.

Derived from the dossier's own steps of the band: where the generator goes in, what is watched, which hazards there are. The means by
which a frequency is read is a value in one table.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from calm_needle.core.constants import K95
from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.dial_setting import Move
from calm_needle.core.procedure.dial.band import DialBand
from calm_needle.core.procedure.dial.pointer import GROUP as POINTER
from calm_needle.core.procedure.dial.pointer import RETURNS, SIDES
from calm_needle.core.quantities import format_plain, format_si

PHASE = "oscillator and dial"
OSCILLATING = "oscillator"
TUNED_TO_SHARE, TUNED_TO_HZ = 3e-5, 15.0  # of the oscillator's frequency: to what it is brought by a counter
MORE_MARKS, AGAIN_MARKS = 5, 3  # that are read once it was set, and once it was set again


class Carrier(NamedTuple):
    """A broadcast carrier that somebody knows: its name, its frequency and how well that is known (Hz)."""

    name: str
    frequency_hz: float
    uncertainty_hz: float


class Means(NamedTuple):
    """How it is found where the set receives, and how an adjuster is brought to a frequency.

    words: how a page offers it. reads: what is read. kind, move_kind: of the steps that read and that turn. feeds: whether the generator
    is on while it is read; strong_v: how strong then, where the dossier's own level may not do. watches: what is looked at, None for
    what the dossier's own steps watch. benches: where it can be had.
    carriers: those that may be tuned in, where there are any.
    """

    name: str
    words: str
    reads: str
    kind: str
    move_kind: str
    watches: Mapping[str, str] | None
    feeds: bool = True
    strong_v: float | None = None
    benches: tuple[str, ...] = ("instruments", "typed")
    carriers: tuple[Carrier, ...] = ()


MEANS: dict[str, Means] = {
    "counter": Means(
        "counter",
        "a counter and a loose loop",
        "oscillator",
        "receives",
        "tune",
        {
            "quantity": "oscillator frequency",
            "unit": "Hz",
            "where": "by a loose loop beside the oscillator, which hangs on nothing",
            "instrument": "counter",
        },
        feeds=False,
    ),
    "generator": Means(
        "generator",
        "the generator, turned by hand",
        "signal",
        "receives",
        "peak",
        {"quantity": "frequency at which it is loudest", "unit": "Hz", "where": "on the generator’s dial"},
        benches=("typed",),
    ),
    "swing": Means(
        "swing", "the generator, swung by the program", "signal", "swing", "peak", None, strong_v=20e-3, benches=("instruments",)
    ),
    "carrier": Means(
        "carrier",
        "broadcast carriers that you know",
        "carrier",
        "carrier",
        "peak",
        {"quantity": "where the pointer stands", "unit": "Hz", "where": "on the printed scale"},
        feeds=False,
        benches=("typed",),
    ),
}


def means_named(name: str, carriers: Sequence[Carrier] = ()) -> Means:
    """Return a means by its name; the generator for one that is not known, which every bench has."""
    return MEANS.get(name, MEANS["generator"])._replace(carriers=tuple(carriers))


def means_on(band: DialBand, means: Means) -> Means:
    """Return how a band is read by these means: by the generator where too few known carriers lie in it."""
    return means if means.reads != "carrier" or len(_inside(band, means)) > 1 else MEANS["generator"]


def _inside(band: DialBand, means: Means) -> list[Carrier]:
    low, high = band.drawn.marks_hz[0], band.drawn.marks_hz[-1]
    return sorted((c for c in means.carriers if low <= c.frequency_hz <= high), key=lambda c: c.frequency_hz)


def reading_group(
    model: Model, band: DialBand, means: Means, *, marks_hz: Sequence[float], number: int = 1, phase: str = PHASE, decides: str = "dial"
) -> dict[str, Any]:
    """Return a group that reads the dial at some marks, and is decided about when it has. What is read after something was set is read with
    the cover on."""
    name = band.band.name
    title = f"The dial on {name}" if number == 1 else f"The dial on {name}, after it was set"
    cover = ("off" if number == 1 and phase == PHASE else "on") if band.cover else ""
    prefix = f"{phase.split(' ', maxsplit=1)[0]}-{band.band.id}-{number}".lower()
    means = means_on(band, means)
    if means.reads == "carrier":
        near = {min(_inside(band, means), key=lambda c, at=f: abs(c.frequency_hz - at)) for f in marks_hz}  # type: ignore[misc]
        steps = [_carrier(model, band, means, c, f"{prefix}-{i + 1}") for i, c in enumerate(sorted(near, key=lambda c: c.frequency_hz))]
    else:
        steps = [_reading(model, band, means, f, f"{prefix}-{i + 1}") for i, f in enumerate(marks_hz)]
    steps = [_with_cover(s, cover) for s in steps]
    return {
        "id": prefix,
        "phase": phase,
        "title": title,
        "steps": steps,
        "decides": decides,
        "derived": {"from": "the printed marks and the oscillator’s drawn values", "first": True},
        "invalidated_by": [OSCILLATING],
    }


def pointer_group(model: Model, band: DialBand, means: Means, *, mark_hz: float, number: int) -> dict[str, Any]:
    """Return a group that comes back to one mark from either end of the scale by turns, and is decided about as the dial is."""
    prefix = f"{POINTER}-{band.band.id}-{number}".lower()
    means, steps = means_on(band, means), []
    for i, side in enumerate(SIDES * RETURNS, start=1):
        step = _reading(model, band, means, mark_hz, f"{prefix}-{i}")
        set_ = {**step["set"], "receiver": {**step["set"]["receiver"], "come_from": side}}
        title = f"{step['title']}, come from the {side}"
        why = "How far apart these returns lie is how well this set’s dial can be read and set at all."
        steps.append({**step, "set": set_, "title": title, "why": why, "aim": {**step["aim"], "returns": side}})
    return {
        "id": prefix,
        "phase": PHASE,
        "title": f"How well the pointer comes back, on {band.band.name}",
        "steps": steps,
        "decides": "dial",
        "derived": {"from": "three returns from either end of the scale", "first": True},
        "invalidated_by": [OSCILLATING],
    }


def cover_group(model: Model, band: DialBand, means: Means, *, mark_hz: float, number: int) -> dict[str, Any]:
    """Return a group that reads one mark with the cover off and on, each twice, and is decided about as the dial is."""
    prefix = f"cover-{band.band.id}-{number}".lower()
    steps = []
    for i, cover in enumerate(("off", "on", "off", "on"), start=1):
        step = _with_cover(_reading(model, band, means, mark_hz, f"{prefix}-{i}"), cover)
        title = f"{step['title']}, {band.cover} {cover}"
        steps.append(
            {**step, "title": title, "why": f"What {band.cover} shifts is measured twice, and allowed for in what is set without."}
        )
    return {
        "id": prefix,
        "phase": PHASE,
        "title": f"What {band.cover} does on {band.band.name}",
        "steps": steps,
        "decides": "dial",
        "derived": {"from": "what stands over the oscillator", "first": True},
        "invalidated_by": [OSCILLATING],
    }


def _with_cover(step: dict[str, Any], cover: str) -> dict[str, Any]:
    return {**step, "set": {**step["set"], "cover": cover}} if cover else step


def moving_group(model: Model, band: DialBand, means: Means, moves: Iterable[Move], *, number: int) -> dict[str, Any]:
    """Return a group that brings each adjuster to where it should stand, in their order."""
    cover = "off" if band.cover else ""
    steps = []
    for i, move in enumerate(moves, start=1):
        step = _move(model, band, means, move, f"move-{band.band.id}-{number}-{i}".lower())
        steps += [_with_cover(s, cover) for s in (step, *_not_the_image(model, band, means, move, step))]
    return {
        "id": f"move-{band.band.id}-{number}".lower(),
        "phase": PHASE,
        "title": f"Setting the dial on {band.band.name}",
        "hangs_together": True,
        "steps": steps,
        "derived": {"from": "what was read at the marks", "first": True},
        "invalidated_by": [OSCILLATING],
    }


def _reading(model: Model, band: DialBand, means: Means, mark_hz: float, step_id: str) -> dict[str, Any]:
    shown = format_plain(mark_hz, unit="Hz", digits=5)
    at = band.drawn.side * band.drawn.if_hz if means.reads == "oscillator" else 0.0
    return {
        "id": step_id,
        "kind": means.kind,
        "title": f"Find where it receives at {shown}",
        "adjusters": [],
        "why": f"What the set hears with the pointer on {shown} is the dial’s error there.",
        "hazards": _hazards(model, band),
        "set": _set(model, band, means, mark_hz, mark_hz, reading=True),
        "aim": {"mark_hz": mark_hz, "if_hz": band.drawn.if_hz, "sign": band.drawn.side, "centre": mark_hz + at, "reads": means.reads},
    }


def _carrier(model: Model, band: DialBand, means: Means, carrier: Carrier, step_id: str) -> dict[str, Any]:
    f = carrier.frequency_hz
    shown = format_plain(f, unit="Hz", digits=6)
    return {
        "id": step_id,
        "kind": means.kind,
        "title": f"Read the pointer at {shown}, {carrier.name}",
        "adjusters": [],
        "why": f"Its carrier is known to {format_si(carrier.uncertainty_hz, unit='Hz', digits=2)}: the scale’s error there is the dial’s.",
        "hazards": _hazards(model, band),
        "set": _set(model, band, means, f, f, reading=True),
        "aim": {
            "mark_hz": f,
            "if_hz": band.drawn.if_hz,
            "sign": band.drawn.side,
            "centre": f,
            "sigma_hz": carrier.uncertainty_hz / K95,
            "name": carrier.name,
        },
    }


def _move(model: Model, band: DialBand, means: Means, move: Move, step_id: str) -> dict[str, Any]:
    adjuster = model.adjuster(band.adjusters[move.part])
    dial, receives = format_plain(move.dial_hz, unit="Hz", digits=5), format_plain(move.receives_hz, unit="Hz", digits=6)
    step = {
        "id": step_id,
        "kind": means.move_kind,
        "adjusters": [adjuster.id],
        "hazards": _hazards(model, band),
        "set": _set(model, band, means, move.dial_hz, move.receives_hz, reading=False),
    }
    if means.reads == "oscillator":
        oscillator = format_plain(move.oscillator_hz, unit="Hz", digits=7)
        tolerance = tuned_to_hz(move.oscillator_hz)
        return {
            **step,
            "title": f"Bring the oscillator to {oscillator} with {adjuster.phrase}",
            "why": f"With the pointer at {dial} it then receives {receives}, which is right once the moves after this one are made too.",
            "aim": {
                "centre": move.oscillator_hz,
                "tolerance": tolerance,
                "mark_hz": move.dial_hz,
                "if_hz": band.drawn.if_hz,
                "sign": band.drawn.side,
            },
        }
    return {
        **step,
        "title": f"Peak {adjuster.phrase}, pointer at {dial}, generator at {receives}",
        "why": "So chosen that the dial is right when the last of these moves is made, and not before.",
    }


def _not_the_image(model: Model, band: DialBand, means: Means, move: Move, step: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The step that tells a crest from its image's, where the generator made it and the adjuster reaches as far as that."""
    if means.reads == "oscillator" or not image_in_reach(band, move):
        return []
    adjuster = model.adjuster(band.adjusters[move.part])
    other_hz = move.receives_hz - 2.0 * band.drawn.side * band.drawn.if_hz
    shown = format_plain(move.receives_hz, unit="Hz", digits=6)
    return [
        {
            **step,
            "id": f"{step['id']}-image",
            "kind": "image",
            "adjusters": [],
            "title": f"See that it is not the image: {shown}, and {format_plain(other_hz, unit='Hz', digits=6)}",
            "why": f"{adjuster.phrase[0].upper()}{adjuster.phrase[1:]} reaches two crests here, and only one of them is the signal’s.",
            "aim": {"at_hz": move.receives_hz, "other_hz": other_hz, "name": adjuster.phrase},
        }
    ]


def image_in_reach(band: DialBand, move: Move) -> bool:
    """Whether the adjuster of a move can bring the oscillator to the generator's other side, from wherever it may have been left."""
    other_hz = move.receives_hz - 2.0 * band.drawn.side * band.drawn.if_hz
    limits, at = band.drawn.limits(move.part), band.drawn.gang((move.dial_hz,))
    low, high = sorted(float(band.drawn.receives_hz({move.part: v}, at)[0]) for v in limits)
    return low - (high - low) / 2.0 <= other_hz <= high + (high - low) / 2.0


def tuned_to_hz(oscillator_hz: float) -> float:
    """Return to what an oscillator is brought to its frequency by a counter (Hz)."""
    return TUNED_TO_HZ + TUNED_TO_SHARE * oscillator_hz


def _set(model: Model, band: DialBand, means: Means, dial_hz: float, signal_hz: float, *, reading: bool) -> dict[str, Any]:
    """Everything that is set: as the dossier's own steps of this band have it, at another frequency."""
    own = _own_set(model, band)
    receiver = {**own.get("receiver", {}), "band": band.band.id, "tuning_hz": dial_hz}
    if band.pointer.one_sided:
        receiver["come_from"] = "below"
    if means.reads == "oscillator":
        stage = model.oscillator_stage() or OSCILLATING
        return {"receiver": receiver, "indicator": {**(means.watches or {}), "point": f"loop {stage}"}}
    if reading and not means.feeds:
        return {"receiver": receiver, "indicator": dict(means.watches or {})}
    generator = {**own.get("generator", {}), "frequency_hz": signal_hz}
    if reading and means.strong_v:
        generator["level_v"] = means.strong_v
    rest = {k: v for k, v in own.items() if k in ("coupling", "goes_in")}
    indicator = dict(means.watches if reading and means.watches else own.get("indicator", {}))
    if reading:
        for limits in ("window", "window_v"):
            indicator.pop(limits, None)  # how loud it is matters not where only the loudest place is looked for
    return {"receiver": receiver, "generator": generator, "indicator": indicator, **rest}


def _own_set(model: Model, band: DialBand) -> Mapping[str, Any]:
    """What the dossier sets for a step of this band's oscillator, or of its signal circuits; nothing where it has none."""
    for raw in model.raw["procedure"]:
        for step in raw["steps"]:
            whole: dict[str, Any] = {**raw.get("set", {}), **step.get("set", {})}
            if whole.get("receiver", {}).get("band") == band.band.id and "generator" in whole and raw["phase"] != "intermediate frequency":
                return {**whole, "receiver": {k: v for k, v in whole["receiver"].items() if k not in ("tuning", "tuning_hz")}}
    return {}


def _hazards(model: Model, band: DialBand) -> list[str]:
    for raw in model.raw["procedure"]:
        for step in raw["steps"]:
            if {**raw.get("set", {}), **step.get("set", {})}.get("receiver", {}).get("band") == band.band.id:
                return list(step.get("hazards", []))
    return []


def more_marks(band: DialBand, count: int = MORE_MARKS) -> tuple[float, ...]:
    """Return the marks that are read once the dial was set: both ends and evenly between."""
    marks = band.drawn.marks_hz
    if len(marks) <= count:
        return marks
    return tuple(marks[round(i * (len(marks) - 1) / (count - 1))] for i in range(count))


def marks_after(band: DialBand, means: Means, moves: Sequence[Move], *, number: int) -> tuple[float, ...]:
    """Return the marks that are read once some moves were made, the number-th of their kind. What the first time told of the gang holds
    the second time too, so fewer tell; and where a counter was watched, the last move was itself a reading of its mark."""
    marks = more_marks(band, MORE_MARKS if number == 1 else AGAIN_MARKS)
    read = {moves[-1].dial_hz} if moves and means.reads == "oscillator" and not band.cover else set()
    return tuple(f for f in marks if f not in read)
