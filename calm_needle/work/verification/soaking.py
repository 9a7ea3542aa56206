"""Watches over intermittent faults: begun by somebody who stays, logged with one key, and how much quiet is still asked for.

Time counts while the set is on, and for half an hour after each sign of somebody.
"""

import sqlite3
from dataclasses import dataclass
from datetime import timedelta
from typing import get_args

from calm_needle.clock import from_text, now_utc, seconds, to_text
from calm_needle.core.quantities import format_plain, parse_si
from calm_needle.core.soundness.power import seconds_on
from calm_needle.core.soundness.safe_start import Logged
from calm_needle.core.verification import soak
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import measurements as store
from calm_needle.store import starts
from calm_needle.store.db import transaction
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import safe_start
from calm_needle.work.soundness.power import on_for_work, power_of, why_silent

LONGEST_WORDS = 120
LONGEST_S = 24 * 3600.0
# How a button calls each kind of entry, its key, and whether it wants a place.
KINDS: dict[str, tuple[str, str, bool]] = {
    "event": ("It happened", "e", False),
    "provoked": ("It answered", "p", True),
    "nothing": ("No answer", "o", True),
    "cause removed": ("Cause seen and removed", "", True),
    "smoke": ("Smoke", "", False),
}
assert set(KINDS) == set(get_args(soak.Kind))
HERE, UNTIL, OWNER = "here", "until", "owner"  # kept beside them: somebody is there; when it ends (UTC); how often, as its owner says (s)
WORDS = {**{kind: words for kind, (words, _, _) in KINDS.items()}, HERE: "Somebody is there"}


@dataclass(frozen=True)
class WatchView:
    """A watch as the page shows it; log: when (UTC), what, where, the newest first. until: when it is to be switched off, hours and
    minutes UTC; over: whether that time has come; alone: whether it is to be asked whether somebody is there; owner: how often, as its
    owner says.
    """

    id: int
    fault: str
    began_utc: str
    watch: soak.Watch
    log: list[tuple[str, str, str]]
    until: str = ""
    over: bool = False
    alone: bool = False
    owner: str = ""


def views(conn: sqlite3.Connection, job_id: int, *, at_utc: str | None = None) -> list[WatchView]:
    """Return a job's watches, the newest first, as they stand at a time (now where none is given)."""
    now = at_utc or now_utc(conn)
    # By the wall, as the watch goes: what was let go by at a practice set is no time that somebody sat there.
    power = [Logged(r.id, r.kind, seconds(r.at_utc), {}) for r in starts.entries(conn, job_id) if r.struck is None]
    out: list[WatchView] = []
    for row in store.watches(conn, job_id):
        earlier = [w for w in out if w.fault.lower() == row.fault.lower()]
        out.append(_view(row, store.watch_entries(conn, row.id), power, now, earlier[-1] if earlier else None, power_of(conn, job_id).live))
    return out[::-1]


def _view(
    row: store.WatchRow, rows: list[store.WatchEntryRow], power: list[Logged], now: str, earlier: WatchView | None, live: bool
) -> WatchView:
    began_s = seconds(row.began_utc)

    def on_s(at_utc: str) -> float:
        return seconds_on(power, since_s=began_s, until_s=max(began_s, seconds(at_utc)))

    said = {e.kind: e.place for e in rows if e.kind in (UNTIL, OWNER)}
    signs = [e for e in rows if e.kind not in said]
    at_s = soak.attended([on_s(e.at_utc) for e in signs], on_s=on_s(now))
    entries = [
        soak.Entry(t_s, e.kind, e.place)  # type: ignore[arg-type]
        for t_s, e in zip(at_s, signs, strict=False)
        if e.kind in KINDS
    ]
    owner_s = float(said[OWNER]) if said.get(OWNER) else None
    watch = soak.watch(
        entries,
        on_s=at_s[-1],
        events_before=earlier.watch.events if earlier else 0,
        before_s=earlier.watch.mean_s * earlier.watch.events if earlier and earlier.watch.mean_s else 0.0,
        owner_s=owner_s,
    )
    last_sign = signs[-1].at_utc if signs else row.began_utc
    return WatchView(
        row.id,
        row.fault,
        row.began_utc,
        watch,
        [(e.at_utc, WORDS[e.kind], e.place) for e in reversed(signs)],
        until=said.get(UNTIL, "")[11:16],
        over=live and not watch.closed and bool(said.get(UNTIL)) and now >= said[UNTIL],
        alone=live and not watch.closed and seconds(now) - seconds(last_sign) >= soak.ASKED_S,
        owner=f"{format_plain(round(owner_s / 60.0, 1), unit='')} min" if owner_s else "",
    )


def begin(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> int:
    """Begin a watch over a fault (fault; minutes that it may last; every: minutes from one time to the next, as the owner says; attended),
    and return its id. Raises NotFound, FieldsRefused with every fault.
    """
    job_of(conn, job_id)
    fault, faults = form.get("fault", "").strip()[:LONGEST_WORDS], {}
    if not fault:
        faults["fault"] = "Say what is watched for: it crackles, a band goes dead."
    elif silent := why_silent(conn, job_id):
        faults["fault"] = silent
    minutes = _minutes(form, "minutes", faults)
    every = _minutes(form, "every", faults)
    if minutes is None and "minutes" not in faults:
        faults["minutes"] = "Say for how many minutes: it is switched off then."
    if form.get("attended") != "yes":
        faults["attended"] = "It is not left alone: somebody stays in sight of it, and it is fused."
    if faults or minutes is None:
        raise FieldsRefused(faults)
    at_utc = now_utc(conn)
    with transaction(conn):
        on_for_work(conn, job_id, at_utc=at_utc)
        watch_id = store.begin_watch(conn, job_id=job_id, fault=fault, at_utc=at_utc)
        until = to_text(from_text(at_utc) + timedelta(minutes=minutes))
        store.add_watch_entry(conn, watch_id=watch_id, kind=UNTIL, place=until, at_utc=at_utc)
        if every is not None:
            store.add_watch_entry(conn, watch_id=watch_id, kind=OWNER, place=f"{60.0 * every:.0f}", at_utc=at_utc)
    return watch_id


def log(conn: sqlite3.Connection, job_id: int, watch_id: int, form: dict[str, str], meters: Meters | None = None) -> None:
    """Log what happened in a watch (kind, place); smoke switches it off, and its start is stopped until a cause is found.

    Raises NotFound, FieldsRefused, InstrumentError.
    """
    row = next((w for w in store.watches(conn, job_id) if w.id == watch_id), None)
    if row is None:
        raise NotFound("watch of this job", watch_id)
    kind, place = form.get("kind", ""), form.get("place", "").strip()[:LONGEST_WORDS]
    if kind not in WORDS:
        raise NotFound("kind of event", kind[:20])
    if kind in KINDS and KINDS[kind][2] and not place:
        raise FieldsRefused({f"place-{watch_id}": "Say where: the can, the switch, the lead that was moved."})
    store.add_watch_entry(conn, watch_id=watch_id, kind=kind, place=place, at_utc=now_utc(conn))
    if kind == "smoke":
        safe_start.smoke(conn, job_id, f"smoke while it was watched: {place or row.fault}", meters)


def still_open(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return the faults that a watch has not closed, in words: the last watch of each counts."""
    last: dict[str, WatchView] = {}
    for view in reversed(views(conn, job_id)):
        last[view.fault.lower()] = view
    return [f"“{w.fault}”: {w.watch.verdict.sentence}" for w in last.values() if not w.watch.closed]


def _minutes(form: dict[str, str], name: str, faults: dict[str, str]) -> float | None:
    """What was typed as minutes; None where nothing was, or what is wrong with it is among the faults."""
    text = form.get(name, "").strip()
    if not text:
        return None
    try:
        minutes = parse_si(text, unit="")
    except NotUnderstood as fault:
        faults[name] = str(fault)
        return None
    if not 1.0 <= minutes <= LONGEST_S / 60.0 and name == "minutes":
        faults[name] = "Between one minute and a day."
    elif minutes <= 0.0:
        faults[name] = "More than nothing."
    return minutes
