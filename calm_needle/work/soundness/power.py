"""Whether a job's set is on, as the log of its start says."""

import json
import sqlite3
from typing import Literal, NamedTuple

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
    last = rows[-1]
    if last.kind in POWERED:
        begun = next((r.at_utc for r in reversed(rows) if begins_a_start(r)), rows[0].at_utc)
        return Power("on", begun[11:16])
    return Power("stopped" if last.kind in STOPPED else "off", last.at_utc[11:16])


def begins_a_start(row: starts.StartRow) -> bool:
    """Whether a start begins with this entry."""
    kind, rung = BEGINS
    return row.kind == kind and json.loads(row.detail)["rung"] == rung
