"""Recorded needles as CSV: t_s, and level_db or v; turns, way and at_stop where they are known."""

import csv
import math
from collections.abc import Iterable
from typing import Any

from calm_needle.errors import FieldsRefused

MOST_FAULTS = 10
LEAST_V = 1e-9
KNOWN = ("t_s", "level_db", "v", "turns", "way", "at_stop")


def read_needle_csv(lines: Iterable[str]) -> list[dict[str, Any]]:
    """Return the readings of a CSV with a header. Raises FieldsRefused with what is wrong in which line."""
    table = csv.DictReader(lines)
    header = [h.strip() for h in table.fieldnames or ()]
    if "t_s" not in header or not {"level_db", "v"} & set(header):
        raise FieldsRefused({"header": f"The first line names the columns: t_s, and level_db or v; also {', '.join(KNOWN[3:])}."})
    table.fieldnames = header
    faults: dict[str, str] = {}
    out = []
    for number, row in enumerate(table, start=2):
        try:
            out.append(_reading(row))
        except ValueError as fault:
            faults[f"line {number}"] = str(fault)
    if faults:
        raise FieldsRefused(dict(list(faults.items())[:MOST_FAULTS]))
    return out


def _reading(row: dict[str, str | None]) -> dict[str, Any]:
    values: dict[str, float | None] = {}
    for key in KNOWN:
        text = (row.get(key) or "").strip()
        try:
            values[key] = float(text) if text else None
        except ValueError:
            raise ValueError(f"{key} is “{text[:20]}”, and not a number.") from None
    if values["t_s"] is None:
        raise ValueError("t_s is missing.")
    level = values["level_db"]
    if level is None:
        if values["v"] is None or values["v"] < 0:
            raise ValueError("level_db or v is missing.")
        level = 20.0 * math.log10(max(values["v"], LEAST_V))
    way = values["way"]
    return {
        "t_s": values["t_s"],
        "level_db": level,
        "turns": values["turns"],
        "way": None if way is None else int(way),
        "at_stop": bool(values["at_stop"]),
    }
