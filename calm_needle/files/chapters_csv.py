"""The numbers of a document as CSV: RFC 4180, one number a row, SI values with their units and the readings they came from."""

import csv
import io
from collections.abc import Iterable

from calm_needle.core.chapters import Chapter, numbers
from calm_needle.files.readings_csv import harmless

HEADER = ("chapter", "table", "of", "what", "value", "unit", "readings")


def write_numbers(chapters: Iterable[Chapter]) -> str:
    """Return every number of a document's tables as CSV text with a header."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADER)
    for chapter, table, row, column, amount in numbers(chapters):
        cells = (chapter, table, row, column, amount.value, amount.unit, " ".join(map(str, amount.readings)))
        writer.writerow([harmless(c) for c in cells])
    return out.getvalue()
