"""The steps of the dial as a plan writes them: marks to be read, moves to be made, each with everything that is set for it.

Derived from the dossier's own steps of the band: where the generator goes in, what is watched, which hazards there are. The means by
which a frequency is read is a value in one table.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.dial_setting import Move
from calm_needle.core.procedure.dial.band import DialBand
from calm_needle.core.quantities import format_plain

PHASE = "oscillator and dial"
OSCILLATING = "oscillator"
TUNED_TO_SHARE, TUNED_TO_HZ = 3e-5, 15.0  # of the oscillator's frequency: to what it is brought by a counter
MORE_MARKS = 5  # that are read once it was set


class Means(NamedTuple):
    """How it is found where the set receives, and how an adjuster is brought to a frequency. move_kind: of the step that turns."""

    name: str
    words: str
    reads: str
    read_from: str
    move_kind: str


MEANS: dict[str, Means] = {
    "counter": Means(
        "counter", "by a counter, loosely coupled to the oscillator", "oscillator", "the oscillator, by a counter and a loose loop", "tune"
    ),
    "generator": Means("generator", "by the generator, where it is heard loudest", "signal", "the generator, swung about the mark", "peak"),
}


def means_named(name: str) -> Means:
    """Return a means by its name; the generator for one that is not known, which every bench has."""
    return MEANS.get(name, MEANS["generator"])


def reading_group(
    model: Model, band: DialBand, means: Means, *, marks_hz: Sequence[float], number: int = 1, phase: str = PHASE, decides: str = "dial"
) -> dict[str, Any]:
    """Return a group that reads the dial at some marks, and is decided about when it has."""
    name = band.band.name
    title = f"The dial on {name}" if number == 1 else f"The dial on {name}, after it was set"
    prefix = f"{phase.split(' ', maxsplit=1)[0]}-{band.band.id}-{number}".lower()
    steps = [_reading(model, band, means, f, f"{prefix}-{i + 1}") for i, f in enumerate(marks_hz)]
    return {
        "id": prefix,
        "phase": phase,
        "title": title,
        "steps": steps,
        "decides": decides,
        "derived": {"from": "the printed marks and the oscillator’s drawn values", "first": True},
        "invalidated_by": [OSCILLATING],
    }


def moving_group(model: Model, band: DialBand, means: Means, moves: Iterable[Move], *, number: int) -> dict[str, Any]:
    """Return a group that brings each adjuster to where it should stand, in their order."""
    steps = [_move(model, band, means, m, f"move-{band.band.id}-{number}-{i + 1}".lower()) for i, m in enumerate(moves)]
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
        "kind": "receives",
        "title": f"Find where it receives at {shown}",
        "adjusters": [],
        "why": f"What the set hears with the pointer on {shown} is the dial’s error there.",
        "hazards": _hazards(model, band),
        "set": _set(model, band, means, mark_hz, mark_hz, reading=True),
        "aim": {"mark_hz": mark_hz, "if_hz": band.drawn.if_hz, "sign": band.drawn.side, "centre": mark_hz + at, "reads": means.reads},
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


def tuned_to_hz(oscillator_hz: float) -> float:
    """Return to what an oscillator is brought to its frequency by a counter (Hz)."""
    return TUNED_TO_HZ + TUNED_TO_SHARE * oscillator_hz


def _set(model: Model, band: DialBand, means: Means, dial_hz: float, signal_hz: float, *, reading: bool) -> dict[str, Any]:
    """Everything that is set: as the dossier's own steps of this band have it, at another frequency."""
    own = _own_set(model, band)
    receiver = {**own.get("receiver", {}), "band": band.band.id, "tuning_hz": dial_hz}
    if means.reads == "oscillator":
        stage = model.oscillator_stage() or OSCILLATING
        indicator = {
            "quantity": "oscillator frequency",
            "unit": "Hz",
            "where": "by a loose loop beside the oscillator, which hangs on nothing",
            "instrument": "counter",
            "point": f"loop {stage}",
        }
        return {"receiver": receiver, "indicator": indicator}
    generator = {**own.get("generator", {}), "frequency_hz": signal_hz}
    rest = {k: v for k, v in own.items() if k in ("coupling", "goes_in")}
    if reading:
        indicator = {"quantity": "frequency at which it is loudest", "unit": "Hz", "where": "on the generator’s dial"}
        return {"receiver": receiver, "generator": generator, "indicator": indicator, **rest}
    return {"receiver": receiver, "generator": generator, "indicator": own.get("indicator", {}), **rest}


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


def more_marks(band: DialBand) -> tuple[float, ...]:
    """Return the marks that are read once the dial was set: both ends and evenly between."""
    marks = band.drawn.marks_hz
    if len(marks) <= MORE_MARKS:
        return marks
    return tuple(marks[round(i * (len(marks) - 1) / (MORE_MARKS - 1))] for i in range(MORE_MARKS))
