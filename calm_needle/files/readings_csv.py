"""Readings out: RFC 4180, one reading a row, SI values, ISO 8601 UTC times."""

import csv
import io
from collections.abc import Iterable
from typing import NamedTuple


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
        writer.writerow([_harmless(cell) for cell in reading])
    return out.getvalue()


def _harmless(cell: object) -> object:
    if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return "'" + cell
    return "" if cell is None else cell
