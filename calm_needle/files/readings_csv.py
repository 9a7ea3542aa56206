"""Readings out: RFC 4180, one reading a row, SI values, ISO 8601 UTC times."""

import csv
import io
from collections.abc import Iterable
from typing import NamedTuple

from calm_needle.core.procedure.report import Amount, Section


class CsvReading(NamedTuple):
    """A row; the field names are the header."""

    reading: int
    at_utc: str
    step: str
    round: int
    kind: str
    value: float
    unit: str
    generator_hz: float | None
    generator_v: float | None
    turns: float | None
    instrument: str
    struck_out: str


def write_readings(readings: Iterable[CsvReading]) -> str:
    """Return the readings as CSV text with a header. Text that a spreadsheet would take for a formula is made harmless."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(CsvReading._fields)
    for reading in readings:
        writer.writerow([harmless(cell) for cell in reading])
    return out.getvalue()


def write_report(sections: Iterable[Section]) -> str:
    """Return a report's numbers as CSV text: one number a row with its unit, the readings it came from, and the number as far as its
    uncertainty leaves digits to it (empty where that is not known)."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(("section", "name", "column", "value", "unit", "readings", "rounded"))
    for part in sections:
        for row in part.rows:
            for column, cell in zip(part.columns, row.cells, strict=False):
                if isinstance(cell, Amount):
                    cells: tuple[object, ...] = (cell.value, cell.unit, " ".join(map(str, cell.readings)), rounded(cell))
                else:
                    cells = (cell, "", "", "")
                writer.writerow([harmless(c) for c in (part.name, row.name, column, *cells)])
        for curve in part.curves:
            for x, y in curve.points:
                writer.writerow([harmless(c) for c in (part.name, curve.name, f"{x:.1f} {curve.x_unit}", y, curve.y_unit, "", "")])
    return out.getvalue()


def rounded(a: Amount) -> str:
    """Return a number with the digits that its uncertainty leaves, in its own unit."""
    return "" if a.digits is None else f"{float(f'{a.value:.{a.digits - 1}e}'):.12g}"


def harmless(cell: object) -> object:
    """Return a cell that no spreadsheet takes for a formula."""
    if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return "'" + cell
    return "" if cell is None else cell
