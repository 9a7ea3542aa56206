"""The groups that the front end begins with: where each band receives at the points of its papers."""

from typing import Any

from calm_needle.core.dossier.model import Group, Model
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.procedure.dial.steps import Means, means_named, reading_group

PHASE = "front end"


def front_end_groups(model: Model, means: Means) -> tuple[list[dict[str, Any]], set[str]]:
    """Return the groups that the phase begins with, and the dossier's groups that they stand for."""
    out: list[dict[str, Any]] = []
    instead: set[str] = set()
    for band in dial_bands(model).values():
        own = own_groups(model, band)
        points = sorted({step.set_up.tuning.dial_hz for g in own for step in g.steps if step.set_up.tuning.dial_hz})
        if points:
            # Where exactly it receives at a point is wanted, and no carrier lies there.
            at_points = means if means.reads != "carrier" else means_named("generator")
            group = reading_group(model, band, at_points, marks_hz=points, phase=PHASE, decides="front end")
            group["title"] = f"Where {band.band.name} receives"
            group["derived"] = {"from": "the points at which the papers peak its signal circuits", "first": True}
            out.append(group)
            instead |= {g.id for g in own}
    return out, instead


def own_groups(model: Model, band: DialBand) -> list[Group]:
    """Return the dossier's groups that peak the signal circuits of a band."""
    return [g for g in model.groups if g.phase == PHASE and any(s.set_up.tuning.band == band.band.id for s in g.steps)]
