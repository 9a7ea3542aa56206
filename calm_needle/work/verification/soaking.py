"""Watches over intermittent faults: begun, logged with one key, and how much quiet is still asked for."""

import sqlite3
from dataclasses import dataclass
from typing import get_args

from calm_needle.clock import from_text, now_utc
from calm_needle.core.verification import soak
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import measurements as store
from calm_needle.work.jobs.shelf import job_of

LONGEST_WORDS = 120
# How a button calls each kind of entry, its key, and whether it wants a place.
KINDS: dict[str, tuple[str, str, bool]] = {
    "event": ("It happened", "e", False),
    "provoked": ("It answered", "p", True),
    "nothing": ("No answer", "o", True),
    "cause removed": ("Cause seen and removed", "", True),
    "smoke": ("Smoke", "", False),
}
assert set(KINDS) == set(get_args(soak.Kind))


@dataclass(frozen=True)
class WatchView:
    """A watch as the page shows it; log: when (UTC), what, where, the newest first."""

    id: int
    fault: str
    began_utc: str
    watch: soak.Watch
    log: list[tuple[str, str, str]]


def views(conn: sqlite3.Connection, job_id: int, *, at_utc: str | None = None) -> list[WatchView]:
    """Return a job's watches, the newest first, as they stand at a time (now where none is given)."""
    now = from_text(at_utc or now_utc(conn))
    out: list[WatchView] = []
    for row in store.watches(conn, job_id):
        began = from_text(row.began_utc)
        rows = store.watch_entries(conn, row.id)
        entries = [
            soak.Entry((from_text(e.at_utc) - began).total_seconds(), e.kind, e.place)  # type: ignore[arg-type]
            for e in rows
        ]
        earlier = [w for w in out if w.fault.lower() == row.fault.lower()]
        watch = soak.watch(
            entries,
            on_s=(now - began).total_seconds(),
            events_before=earlier[-1].watch.events if earlier else 0,
            before_s=earlier[-1].watch.mean_s * earlier[-1].watch.events if earlier and earlier[-1].watch.mean_s else 0.0,
        )
        log = [(e.at_utc, KINDS[e.kind][0], e.place) for e in reversed(rows)]
        out.append(WatchView(row.id, row.fault, row.began_utc, watch, log))
    return out[::-1]


def begin(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> int:
    """Begin a watch over a fault (fault), and return its id. Raises NotFound, FieldsRefused."""
    job_of(conn, job_id)
    fault = form.get("fault", "").strip()[:LONGEST_WORDS]
    if not fault:
        raise FieldsRefused({"fault": "Say what is watched for: it crackles, a band goes dead."})
    return store.begin_watch(conn, job_id=job_id, fault=fault, at_utc=now_utc(conn))


def log(conn: sqlite3.Connection, job_id: int, watch_id: int, form: dict[str, str]) -> None:
    """Log what happened in a watch (kind, place). Raises NotFound, FieldsRefused."""
    if not any(w.id == watch_id for w in store.watches(conn, job_id)):
        raise NotFound("watch of this job", watch_id)
    kind, place = form.get("kind", ""), form.get("place", "").strip()[:LONGEST_WORDS]
    if kind not in KINDS:
        raise NotFound("kind of event", kind[:20])
    if KINDS[kind][2] and not place:
        raise FieldsRefused({f"place-{watch_id}": "Say where: the can, the switch, the lead that was moved."})
    store.add_watch_entry(conn, watch_id=watch_id, kind=kind, place=place, at_utc=now_utc(conn))


def still_open(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return the faults that a watch has not closed, in words: the last watch of each counts."""
    last: dict[str, WatchView] = {}
    for view in reversed(views(conn, job_id)):
        last[view.fault.lower()] = view
    return [f"“{w.fault}”: {w.watch.verdict.sentence}" for w in last.values() if not w.watch.closed]
