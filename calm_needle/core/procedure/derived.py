"""Phases whose steps are derived and not written down: which groups such a phase begins with, by its name."""

from collections.abc import Callable
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.procedure.dial import steps as dial
from calm_needle.core.procedure.dial.band import dial_bands
from calm_needle.core.procedure.dial.steps import Means
from calm_needle.core.procedure.front_end import steps as front_end

Begins = Callable[[Model, Means], tuple[list[dict[str, Any]], set[str]]]


def dial_groups(model: Model, means: Means) -> tuple[list[dict[str, Any]], set[str]]:
    """Return the groups that read each band's dial, and the dossier's groups that they stand for."""
    bands = dial_bands(model)
    out = [dial.reading_group(model, band, means, marks_hz=band.read_at_hz) for band in bands.values() if band.adjusters]
    led = {g["steps"][0]["set"]["receiver"]["band"] for g in out}
    instead = {g.id for g in model.groups if g.phase == dial.PHASE and all(s.set_up.tuning.band in led for s in g.steps)}
    return out, instead


DERIVED: dict[str, Begins] = {dial.PHASE: dial_groups, front_end.PHASE: front_end.front_end_groups}
