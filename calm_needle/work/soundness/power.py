"""Whether a job's set is on, as the log of its start says."""

import json
import sqlite3
from collections.abc import Sequence
from datetime import timedelta
from typing import Literal, NamedTuple

from calm_needle.clock import from_text, to_text
from calm_needle.store import starts

POWERED = ("rung", "current", "rail")  # the last entry of a start that is on
STOPPED = ("smoke",)
BEGINS = ("rung", 0)  # the entry that a start begins with, and its rung


class Power(NamedTuple):
    """on, off, stopped (a cause is still to be written), or empty where nobody has said; since: hours and minutes, UTC."""

    state: Literal["on", "off", "stopped", ""]
    since: str


def power_of(conn: sqlite3.Connection, job_id: int) -> Power:
    """Return whether a job's set is on."""
    rows = starts.entries(conn, job_id)
    if not rows:
        return Power("", "")
    last, times = rows[-1], times_of_day(rows)
    if last.kind in POWERED:
        begun = next((at for r, at in reversed(list(zip(rows, times, strict=True))) if begins_a_start(r)), times[0])
        return Power("on", begun[:5])
    return Power("stopped" if last.kind in STOPPED else "off", times[-1][:5])


def times_of_day(rows: Sequence[starts.StartRow]) -> list[str]:
    """When each entry was, of day and in UTC: what a person let go by at a practice set since its start began counts as gone by."""
    out, passed_s, began_s = [], 0.0, 0.0
    for row in rows:
        passed_s = float(json.loads(row.detail).get("passed_s", passed_s))
        if begins_a_start(row):
            began_s = passed_s
        out.append(to_text(from_text(row.at_utc) + timedelta(seconds=passed_s - began_s))[11:19])
    return out


def begins_a_start(row: starts.StartRow) -> bool:
    """Whether a start begins with this entry."""
    kind, rung = BEGINS
    return row.kind == kind and json.loads(row.detail)["rung"] == rung
