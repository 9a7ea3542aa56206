"""Whether a job's set is on, as the log of its power says: the one place that every page, gate and refusal asks."""

import json
import sqlite3
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from calm_needle.clock import clock_of, from_text, later, seconds, to_text
from calm_needle.core.soundness.power import Power as Stands
from calm_needle.core.soundness.power import State, let_go_by, power_after, why_not_heard, why_not_off
from calm_needle.core.soundness.safe_start import Logged, ladder
from calm_needle.errors import NotFound
from calm_needle.store import shelf, starts

BEGINS = ("rung", 0)  # the entry that a start begins with, and its rung


class Power(NamedTuple):
    """state: on, off, stopped (a cause is still to be written), or empty where nobody has said; since: hours and minutes, UTC. live:
    whether volts may stand in it; behind: what limits it; asked: whether it was on on an earlier day, and nobody has said since.
    """

    state: State
    since: str
    live: bool
    behind: str
    asked: bool

    @property
    def words(self) -> str:
        """As a page says it."""
        return {
            "on": f"on since {self.since} UTC{f', {self.behind}' if self.behind else ''}",
            "off": f"off since {self.since} UTC",
            "stopped": f"stopped at {self.since} UTC: its cause first",
            "": "not said",
        }[self.state]


class Folded(NamedTuple):
    """How the power stands after some entries, when each of them was, and the day of the last."""

    safety_class: str
    stands: Stands
    times: dict[int, str]
    last_utc: str


def power_of(conn: sqlite3.Connection, job_id: int, *, safety_class: str | None = None) -> Power:
    """Return whether a job's set is on. safety_class: of its model, where the caller has it. Raises NotFound."""
    return _power(conn, _folded_of(conn, job_id, safety_class))


def _power(conn: sqlite3.Connection, folded: Folded) -> Power:
    stands = folded.stands
    asked = stands.state == "on" and _day(folded.last_utc) != _day(to_text(clock_of(conn).utc()))
    since = folded.times.get(stands.since or 0, "")[:5]
    day = f"{from_text(folded.last_utc).astimezone():%-d %B}, " if asked else ""
    return Power(stands.state, day + since, stands.live, stands.behind, asked)


def why_live(conn: sqlite3.Connection, job_id: int) -> str:
    """Return why nothing of a job's set may be touched, lifted or metered in ohms; empty where it is said to be off. Raises NotFound."""
    folded = _folded_of(conn, job_id)
    return why_not_off(folded.stands, since=_power(conn, folded).since)


def why_silent(conn: sqlite3.Connection, job_id: int, *, safety_class: str | None = None) -> str:
    """Return why what a job's set gives is compared with nothing: off, or behind a limiter; else empty. Raises NotFound."""
    folded = _folded_of(conn, job_id, safety_class)
    return "" if folded.stands.full else why_not_heard(folded.stands, since=_power(conn, folded).since)


def on_for_work(conn: sqlite3.Connection, job_id: int, *, at_utc: str) -> None:
    """Log that a set is on of which nobody has said whether it is, once it was set up to be read: it is not «never logged» after that.

    Within a transaction.
    """
    folded = _folded_of(conn, job_id)
    if folded.stands.state == "":
        last = len(ladder(folded.safety_class)) - 1
        starts.add_entry(conn, job_id=job_id, kind="rung", detail=json.dumps({"rung": last, "said": True}), at_utc=at_utc)


def _folded_of(conn: sqlite3.Connection, job_id: int, safety_class: str | None = None) -> Folded:
    if safety_class is not None:  # asked with every reading
        return _folded(safety_class, tuple(starts.entries(conn, job_id)))
    job = shelf.job(conn, job_id)
    if job is None:
        raise NotFound("job", job_id)
    return _folded(_safety_class(shelf.dossier_content(conn, job.dossier_id) or "{}"), tuple(starts.entries(conn, job_id)))


@lru_cache(maxsize=64)
def _safety_class(content: str) -> str:
    return str(json.loads(content).get("safety_class", ""))


@lru_cache(maxsize=256)
def _folded(safety_class: str, rows: tuple[starts.StartRow, ...]) -> Folded:
    """The log is asked for with every reading, and changes with none."""
    times = dict(zip((r.id for r in rows), times_of_day(rows), strict=True))
    return Folded(safety_class, power_after(logged(rows), rungs=ladder(safety_class)), times, rows[-1].at_utc if rows else "")


def logged(rows: Sequence[starts.StartRow]) -> list[Logged]:
    """Return the entries that count, as the core reads them: what was let go by at a practice set has gone by."""
    counting = [(r, json.loads(r.detail)) for r in rows if r.struck is None]
    return [Logged(r.id, r.kind, seconds(r.at_utc) + d.get("passed_s", 0.0), d) for r, d in counting]


def times_of_day(rows: Sequence[starts.StartRow]) -> list[str]:
    """When each entry was, of day and in UTC: what a person let go by at a practice set since its start began counts as gone by."""
    gone_by = let_go_by((begins_a_start(row), json.loads(row.detail).get("passed_s")) for row in rows)
    return [later(row.at_utc, by_s)[11:19] for row, by_s in zip(rows, gone_by, strict=True)]


def begins_a_start(row: starts.StartRow) -> bool:
    """Whether a start begins with this entry."""
    kind, rung = BEGINS
    return row.kind == kind and json.loads(row.detail)["rung"] == rung


def _day(at_utc: str) -> str:
    """The day where the bench stands."""
    return from_text(at_utc).astimezone().date().isoformat() if at_utc else ""
