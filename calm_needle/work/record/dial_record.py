"""The dial in a run's record: each band's errors over its marks, as found and as left; and how it was rocked."""

from collections.abc import Mapping, Sequence
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.pictures import Curves, Line
from calm_needle.core.procedure.report import Amount, Row, Section
from calm_needle.core.quantities import format_plain


def dial_section(model: Model, decisions: Sequence[Mapping[str, Any]]) -> Section | None:
    """Return the errors at the marks of each band that was decided about, by the first decision and by the last; None without any."""
    by_band: dict[str, list[Mapping[str, Any]]] = {}
    for decision in decisions:
        detail = decision.get("dial") or {}
        if "band" in detail:
            by_band.setdefault(detail["band"], []).append(detail)
    names = {b.id: b.name for b in model.bands}
    rows = [row for band, details in by_band.items() for row in _rows(names.get(band, band), details[0], details[-1])]
    return Section("dial", ("as found", "as left"), tuple(rows)) if rows else None


def _rows(name: str, first: Mapping[str, Any], last: Mapping[str, Any]) -> list[Row]:
    worst = Row(f"{name}, worst", (Amount(first["worst_hz"], "Hz"), Amount(last["worst_hz"], "Hz")))
    least = Row(f"{name}, least its adjusters can do", (None, Amount(last["least_worst_hz"], "Hz"))) if last.get("least_worst_hz") else None
    marks = [
        Row(f"{name} at {format_plain(mark, unit='Hz', digits=5)}", (Amount(a, "Hz", signed=True), Amount(b, "Hz", signed=True)))
        for mark, a, b in zip(first["marks_hz"], first["errors_hz"], last["errors_hz"], strict=True)
    ]
    return [worst, *([least] if least else []), *marks]


def rocking_section(rocked: Sequence[tuple[str, Mapping[str, Any]]]) -> Section | None:
    """Return the crest of every swing of the tuning: where tuning and adjuster stood, how high it was; None where nothing was rocked.

    rocked: the title and what was kept of each step.
    """
    rows = []
    for title, detail in rocked:
        triples = detail.get("triples") or []
        first = triples[0][2] if triples else 0.0
        for i, (tuning, turns, level_db) in enumerate(triples, start=1):
            stood = [None if t is None else Amount(t, "turn", signed=True) for t in (tuning, turns)]
            rows.append(Row(f"{title}, swing {i}", (*stood, Amount(level_db - first, "dB", signed=True))))
    return Section("rocking", ("tuning", "adjuster", "crest, dB"), tuple(rows)) if rows else None


def rocking_picture(rocking: Section | None) -> Curves | None:
    """Return the crests of the swings as a picture: over the adjuster where it was counted, else one after the other; None without any."""
    if rocking is None:
        return None
    points = []
    counted = all(isinstance(row.cells[1], Amount) for row in rocking.rows)
    for i, row in enumerate(rocking.rows, start=1):
        at, crest = row.cells[1], row.cells[2]
        assert isinstance(crest, Amount)
        points.append((at.value if counted and isinstance(at, Amount) else float(i), crest.value))
    points = sorted(points) if counted else points
    return Curves("Crest of each swing", "turn" if counted else "swing", "dB", [Line("crests", points, "after", dots=True)])
