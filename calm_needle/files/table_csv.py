"""A table out of a spreadsheet, as CSV: commas, semicolons or tabs, UTF-8 or the older Western coding, columns named in its first line."""

import csv
import io
from typing import NamedTuple

from calm_needle.errors import Fault, FileRefused

LARGEST_BYTES, MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 2_000_000, 2_000, 60, 4_000
MOST_FAULTS = 20
DELIMITERS = ",;\t"


class SheetTable(NamedTuple):
    """A table: the names of its columns, and its rows, each as long as those; the lines of the file they stood on."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]


def read_table(content: bytes, *, name: str) -> SheetTable:
    """Return the table in a CSV file; empty rows are left out. Raises FileRefused with all faults, MOST_FAULTS at most."""
    if len(content) > LARGEST_BYTES:
        raise FileRefused(name, [Fault("", f"it is {len(content)} bytes long; a table has at most {LARGEST_BYTES}")])
    text = _text(content, name)
    first = text.split("\n", 1)[0]
    delimiter = max(DELIMITERS, key=first.count)
    try:
        found = list(_lines(text, delimiter))
    except csv.Error as fault:
        raise FileRefused(name, [Fault("", f"it cannot be read as a table: {fault}")]) from None
    if not found or not any(cell.strip() for cell in found[0][1]):
        raise FileRefused(name, [Fault("", "its first line names no columns")])
    columns = tuple(cell.strip() or f"column {n}" for n, cell in enumerate(found[0][1], start=1))
    faults = []
    if len(columns) > MOST_COLUMNS:
        faults.append(Fault("", f"it has {len(columns)} columns; {MOST_COLUMNS} at most"))
    kept = [(line, [c.strip() for c in cells]) for line, cells in found[1:] if any(c.strip() for c in cells)]
    if len(kept) > MOST_ROWS:
        faults.append(Fault("", f"it has {len(kept)} rows; {MOST_ROWS} at most. Bring it in parts"))
    for line, cells in kept[:MOST_ROWS]:
        if any(cells[len(columns) :]):
            faults.append(Fault(f"line {line}", f"it has {len(cells)} cells, and the first line names {len(columns)}"))
        elif any(len(c) > LONGEST_CELL for c in cells):
            faults.append(Fault(f"line {line}", f"a cell is longer than {LONGEST_CELL} letters"))
    if faults:
        raise FileRefused(name, faults[:MOST_FAULTS])
    width = len(columns)
    rows = tuple(tuple((cells + [""] * width)[:width]) for _, cells in kept)
    return SheetTable(columns, rows, tuple(line for line, _ in kept))


def _text(content: bytes, name: str) -> str:
    if b"\x00" in content:
        raise FileRefused(name, [Fault("", "it is no text: save the sheet as CSV first")])
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", errors="replace")
    return text.replace("\r\n", "\n").replace("\r", "\n")


def _lines(text: str, delimiter: str) -> list[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    out, before = [], 0
    for cells in reader:
        out.append((before + 1, cells))
        before = reader.line_num
    return out
