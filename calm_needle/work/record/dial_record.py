"""The dial in a run's record: each band's errors over its marks, as found and as left; and how it was rocked."""

from collections.abc import Mapping, Sequence
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.pictures import Curves, Line
from calm_needle.core.procedure.report import Amount, Row, Section
from calm_needle.core.quantities import format_plain


def dial_section(model: Model, decisions: Sequence[Mapping[str, Any]]) -> Section | None:
    """Return the errors that were read at marks of each band, before anything was turned and after the last turn; None without any.

    What was worked out says so: the smallest maximum error, and every figure of a decision that kept no readings (an earlier version).
    """
    by_band: dict[str, list[Mapping[str, Any]]] = {}
    for decision in decisions:
        detail = decision.get("dial") or {}
        if "band" in detail:
            by_band.setdefault(detail["band"], []).append(detail)
    names = {b.id: b.name for b in model.bands}
    rows = [row for band, details in by_band.items() for row in _rows(names.get(band, band), details)]
    return Section("dial", ("as found", "as left"), tuple(rows)) if rows else None


def _rows(name: str, details: Sequence[Mapping[str, Any]]) -> list[Row]:
    first, last = details[0], details[-1]
    if "read" not in first or "read" not in last:
        return _fitted_rows(name, first, last)
    found = {(r["dial_hz"], r["cover"]): r["error_hz"] for r in first["read"]}
    left = {(r["dial_hz"], r["cover"]): r["error_hz"] for r in last["read"]} if last["touches"] != first["touches"] else {}
    rows = [Row(f"{name}, worst read", (_worst(found), _worst(left)))]
    if last.get("least_worst_hz"):
        rows.append(Row(f"{name}, smallest maximum error, worked out", (None, Amount(last["least_worst_hz"], "Hz"))))
    if shift := last.get("cover_shift_hz"):
        at = format_plain(shift[0], unit="Hz", digits=5)
        rows.append(Row(f"{name} at {at}, moved by putting the cover on", (None, Amount(shift[1], "Hz", signed=True))))
    for dial_hz, cover in sorted({*found, *left}):
        where = f"{name} at {format_plain(dial_hz, unit='Hz', digits=5)}{f', cover {cover}' if cover else ''}"
        rows.append(Row(where, (_signed(found.get((dial_hz, cover))), _signed(left.get((dial_hz, cover))))))
    return rows


def _worst(read: Mapping[tuple[float, str], float]) -> Amount | None:
    return Amount(max(abs(e) for e in read.values()), "Hz") if read else None


def _signed(error_hz: float | None) -> Amount | None:
    return None if error_hz is None else Amount(error_hz, "Hz", signed=True)


def _fitted_rows(name: str, first: Mapping[str, Any], last: Mapping[str, Any]) -> list[Row]:
    worst = Row(f"{name}, worst, worked out", (Amount(first["worst_hz"], "Hz"), Amount(last["worst_hz"], "Hz")))
    marks = [
        Row(f"{name} at {format_plain(mark, unit='Hz', digits=5)}, worked out", (_signed(a), _signed(b)))
        for mark, a, b in zip(first["marks_hz"], first["errors_hz"], last["errors_hz"], strict=True)
    ]
    return [worst, *marks]


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
