"""The test points of a model whose volts are known: its rails, and its electrodes."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.amend import SISTERS
from calm_needle.core.dossier.model import OF_A_SISTER, Model
from calm_needle.core.soundness.safe_start import Point

TYPICAL_TOLERANCE_PERCENT = 10.0  # of points whose service data give none


def rails_of(model: Model) -> tuple[Point, ...]:
    """Return the rails of a model: the test points of its power stages."""
    return tuple(
        Point(p["id"], p["name"], p.get("expected_v"), p.get("tolerance_percent", TYPICAL_TOLERANCE_PERCENT), _source(model, p))
        for stage in model.stages
        if stage.kind == "power"
        for p in stage.test_points
    )


def electrodes_of(model: Model) -> tuple[Point, ...]:
    """Return the electrodes of a model: test points of its other stages whose volts the service data give."""
    return tuple(
        Point(p["id"], p["name"], p["expected_v"], p.get("tolerance_percent", TYPICAL_TOLERANCE_PERCENT), _source(model, p))
        for stage in model.stages
        if stage.kind != "power"
        for p in stage.test_points
        if p.get("expected_v")
    )


def _source(model: Model, point: Mapping[str, Any]) -> str:
    """From where it is known what should stand at a point; empty where the model's own papers say it."""
    return str(point.get("from") or (SISTERS if model.source.get("kind") == OF_A_SISTER else "")) if point.get("expected_v") else ""


def point_of(model: Model, point_id: str) -> Point | None:
    """Return a rail or an electrode of a model by its identifier, or None."""
    return next((p for p in (*rails_of(model), *electrodes_of(model)) if p.id == point_id), None)


def is_rail(model: Model, point_id: str) -> bool:
    """Whether a point is a rail: only a rail is judged behind a limiter too."""
    return any(p.id == point_id for p in rails_of(model))


def stage_of(model: Model, point_id: str) -> str:
    """Return the stage that a test point belongs to; empty for a point that the service data do not have."""
    return next((stage.id for stage in model.stages for p in stage.test_points if p["id"] == point_id), "")
