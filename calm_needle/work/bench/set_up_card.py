"""The set-up card of the bench page: everything to be set now, and what of it the step before had otherwise."""

import math
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.levels import throw_pads
from calm_needle.core.quantities import format_si
from calm_needle.work.bench.run_book import RunBook

PADS_DB = (3.0, 6.0, 12.0, 20.0)
FULL_OUTPUT_V = 20e-3  # what a generator gives with no pad thrown, in this workshop


def set_up_card(book: RunBook, step: Step | None, *, on_instruments: bool) -> list[dict[str, Any]]:
    """The rows of the set-up card; `changed` marks what the step before had otherwise."""
    if step is None:
        return []
    before = book.state.set_up_done
    new, old = step.set_up, before if before is not None and before != step.set_up else None
    level = book.state.level_v if book.state.stage == "step" else None
    rows: list[dict[str, Any]] = []
    generator = new.generator
    if generator:
        depth = (
            f"{generator.modulation} {100 * generator.depth:.0f}\u2009%, {generator.tone_hz:.0f}\u2009Hz"
            if generator.depth
            else "bare carrier"
        )
        rows.append(
            {
                "label": "Generator",
                "value": f"{generator.frequency_hz / 1e3:.3f}\u2009kHz",
                "more": depth,
                "changed": bool(old and old.generator and old.generator.frequency_hz != generator.frequency_hz),
            }
        )
        volts = level or generator.level_v
        rows.append(
            {
                "label": "Level",
                "value": format_si(volts, unit="V", digits=3),
                "pads": [] if on_instruments else _pads(volts),
                "changed": bool(old and old.generator and old.generator.level_v != generator.level_v),
            }
        )
    if new.goes_in:
        coupling = _coupling(new.coupling)
        rows.append(
            {
                "label": "Goes in",
                "text": book.model.point_name(new.goes_in) + (f", through {coupling}" if coupling else ""),
                "changed": bool(old and old.goes_in != new.goes_in),
            }
        )
    if new.receiver:
        names = {b.id: b.name for b in book.model.bands}
        shown = [names.get(str(new.receiver.get("band")), ""), str(new.receiver.get("tuning", ""))]
        shown += [f"{k.replace('_', ' ')} {v}" for k, v in new.receiver.items() if k not in ("band", "tuning", "tuning_hz", "gain_control")]
        rows.append({"label": "Receiver", "text": ", ".join(x for x in shown if x), "changed": bool(old and old.receiver != new.receiver)})
    if new.indicator:
        rows.append(
            {
                "label": "Indicator",
                "text": f"{new.indicator.quantity} {new.indicator.where}",
                "changed": bool(old and old.indicator and old.indicator.where != new.indicator.where),
            }
        )
    return rows


def _pads(level_v: float) -> list[dict[str, Any]]:
    """Which pads of the workshop's attenuator to throw from full output, and which not."""
    if level_v >= FULL_OUTPUT_V:
        return [{"db": f"{p:.0f}", "thrown": False} for p in PADS_DB]
    wanted = 20.0 * math.log10(FULL_OUTPUT_V / level_v)
    thrown = throw_pads(pads_db=PADS_DB, loss_db=wanted).thrown_db
    return [{"db": f"{p:.0f}", "thrown": p in thrown} for p in PADS_DB]


def _coupling(coupling: Any) -> str:
    match coupling.get("kind"):
        case "capacitor":
            note = f", {coupling['note']}" if coupling.get("note") else ""
            return format_si(coupling["value_f"], unit="F", digits=2) + note if "value_f" in coupling else "a capacitor"
        case "dummy aerial":
            return "the dummy aerial"
        case "loop":
            return "a coupling loop"
    return ""
