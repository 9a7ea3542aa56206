"""What is to be set for a step, setting by setting: the card shows this list, and the instruments are set from it."""

import math
from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import Model, SetUp, Source, Watched
from calm_needle.core.physics.levels import throw_pads
from calm_needle.core.quantities import format_plain, format_si

COME_FROM = {"below": "below", "above": "above", "lower end": "the lower end", "upper end": "the upper end"}
PADS_DB = (3.0, 6.0, 12.0, 20.0)
FULL_OUTPUT_V = 20e-3  # what a generator gives with no pad thrown, in this workshop

SettingKind = Literal["frequency", "level", "modulation", "lead", "band", "dial", "tuning", "control", "watched", "cover"]


class Pad(NamedTuple):
    db: float
    thrown: bool


class Setting(NamedTuple):
    """One thing to set: how the card says it, whether it differs from before, and its value for whatever can be set by itself.

    figure: whether `shown` is a figure, set in the type for figures. pads: of a level, which pads give it from full output.
    come_from: of a pointer, from where it is brought to its mark, if that matters.
    """

    kind: SettingKind
    label: str
    shown: str
    value: Any
    changed: bool
    figure: bool = False
    pads: tuple[Pad, ...] = ()
    come_from: str = ""


def settings(new: SetUp, old: SetUp | None, *, model: Model, level_v: float | None = None) -> list[Setting]:
    """Return everything that a step sets, in the order in which it is set. old: what was set before, None at the beginning of a run.

    level_v: where the level keeper has moved the generator's level since.
    """
    rows: list[Setting] = []

    def row(kind: SettingKind, label: str, shown: str, value: Any, before: Any, **more: Any) -> None:
        rows.append(Setting(kind, label, shown, value, old is not None and value != before, **more))

    a, b = new.tuning, old.tuning if old else None
    if new.source:
        s, o = new.source, old.source if old else None
        volts = level_v or s.level_v
        row("frequency", "Generator", f"{s.frequency_hz / 1e3:.3f}\u2009kHz", s.frequency_hz, o and o.frequency_hz, figure=True)
        row("level", "Level", format_si(volts, unit="V", digits=3), volts, o and o.level_v, figure=True, pads=_pads(volts))
        row("modulation", "Signal", _modulation(s), _modulated(s), o and _modulated(o))
    if new.goes_in:
        coupling = coupling_words(new.coupling)
        text = model.point_name(new.goes_in)
        if coupling and coupling not in text:  # the papers' name of a point may say it already
            text += f", through {coupling}"
        row("lead", "Goes in", text, (new.goes_in, dict(new.coupling)), old and (old.goes_in, dict(old.coupling)))
    if a.band:
        names = {band.id: band.name for band in model.bands}
        row("band", "Band", names.get(a.band, a.band), a.band, b and b.band)
    if a.dial_hz:
        come = f", come from {COME_FROM[a.come_from]}" if a.come_from else ""
        before = b.dial_hz if b and b.come_from == a.come_from else None
        row(
            "dial",
            "Dial",
            f"at {format_plain(a.dial_hz, unit='Hz', digits=5)}{come}",
            a.dial_hz,
            before,
            figure=True,
            come_from=a.come_from,
        )
    if a.how:
        row("tuning", "Tuning", a.how, a.how, b and b.how)
    for name, value in a.controls.items():
        row("control", name.replace("_", " ").capitalize(), str(value), (name, value), (name, b.controls.get(name)) if b else None)
    if new.watched:
        w, o_w = new.watched, old.watched if old else None
        row("watched", "Indicator", f"{w.quantity} {w.where}", _probed(w), o_w and _probed(o_w))
    if new.cover:
        row("cover", "Covers", {"on": "covers on", "off": "covers off"}[new.cover], new.cover, old and old.cover)
    return rows


def _probed(w: Watched) -> tuple[str, str, str, str]:
    """What is watched, in words, and which instrument's probe is to be at which point."""
    return w.quantity, w.where, w.instrument, w.point


def coupling_words(coupling: Mapping[str, Any]) -> str:
    """Return through what the generator's lead goes, in words; empty where nothing is said."""
    match coupling.get("kind"):
        case "capacitor":
            note = f", {coupling['note']}" if coupling.get("note") else ""
            return format_si(coupling["value_f"], unit="F", digits=2) + note if "value_f" in coupling else "a capacitor"
        case "dummy aerial":
            return "the dummy aerial"
        case "loop":
            return "a coupling loop"
    return ""


def _modulated(source: Source) -> tuple[str, float, float, float]:
    return source.modulation, source.depth, source.deviation_hz, source.tone_hz


def _modulation(source: Source) -> str:
    if source.modulation == "AM" and source.depth:
        return f"AM {100 * source.depth:.0f}\u2009%, {source.tone_hz:.0f}\u2009Hz"
    if source.modulation == "FM" and source.deviation_hz:
        return f"FM, deviation {format_plain(source.deviation_hz, unit='Hz')}, {source.tone_hz:.0f}\u2009Hz"
    return "bare carrier"


def _pads(level_v: float) -> tuple[Pad, ...]:
    """Which pads of the workshop's attenuator to throw from full output, and which not."""
    if level_v >= FULL_OUTPUT_V:
        return tuple(Pad(p, False) for p in PADS_DB)
    thrown = throw_pads(pads_db=PADS_DB, loss_db=20.0 * math.log10(FULL_OUTPUT_V / level_v)).thrown_db
    return tuple(Pad(p, p in thrown) for p in PADS_DB)
