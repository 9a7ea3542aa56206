"""A job at a glance: is its set on, what runs where, what is stale, what is due, what its certificate lacks."""

import sqlite3
from collections.abc import Sequence
from datetime import date
from typing import Literal, NamedTuple

from calm_needle.store import certificates, runs
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import entries
from calm_needle.work.jobs.shelf import PhaseLine
from calm_needle.work.record import certificate
from calm_needle.work.soundness.power import power_of
from calm_needle.work.verification import instruments_register, measuring

SHOWN = 3
BEDSIDE = {"instruments": "at the bench, by instruments", "typed": "at the bench, typed"}


class GlanceLine(NamedTuple):
    """One question of the glance and its answer; good: nothing to see to; screen: where that is done, empty for this page."""

    title: str
    words: tuple[str, ...]
    state: Literal["good", "watch", "plain"]
    screen: str = ""
    more: int = 0  # so many beyond those shown


def glance(conn: sqlite3.Connection, job: JobRow, phases: Sequence[PhaseLine]) -> list[GlanceLine]:
    """Return the lines of a job's glance, its phases as they stand given."""
    return [_power(conn, job), _running(conn, phases), _stale(conn, job, phases), _due(conn, job), _certificate(conn, job)]


def _power(conn: sqlite3.Connection, job: JobRow) -> GlanceLine:
    power = power_of(conn, job.id)
    words = f"{'power ' if not power.state else ''}{power.words}{': is it still?' if power.asked else ''}"
    return GlanceLine("The set", (words,), "watch" if power.asked or power.state == "stopped" else "plain", "start")


def _running(conn: sqlite3.Connection, phases: Sequence[PhaseLine]) -> GlanceLine:
    found = []
    for phase in phases:
        if phase.state == "running" and phase.run_id is not None and (run := runs.run(conn, phase.run_id)):
            found.append(f"{phase.name}, {BEDSIDE[run.bench]}")
    return _line("In hand", found, none="nothing is in hand", state="plain")


def _stale(conn: sqlite3.Connection, job: JobRow, phases: Sequence[PhaseLine]) -> GlanceLine:
    found = [f"{p.name}, {p.words}" for p in phases if p.words.startswith("again: ")]
    found += [f"{t.measure.title.lower()} {t.band_name}: {t.stale}" for t in measuring.taken(conn, job.id) if t.stale and not t.struck]
    return _line("Stale", found, none="nothing", state="watch")


def _due(conn: sqlite3.Connection, job: JobRow) -> GlanceLine:
    today, still = date.today().isoformat(), entries.still_open(conn, job.id)
    found = [
        f"{w.detail['item']}, expected by {w.detail['by']}{', which is past' if w.detail['by'] < today else ''}"
        for w in still.get("waiting", ())
        if w.detail.get("by")
    ]
    found += [
        f"{a.detail['what']}, {a.detail['on']}{' at ' + a.detail['at'] if a.detail.get('at') else ''}"
        + (", which is past" if a.detail["on"] < today else "")
        for a in still.get("appointment", ())
    ]
    found += [f"check of the {line.name}, {line.quantity}, was due {line.due_on}" for line in instruments_register.overdue(conn)]
    return _line("Due", found, none="nothing", state="watch", screen="instruments")


def _certificate(conn: sqlite3.Connection, job: JobRow) -> GlanceLine:
    issued = certificates.of_job(conn, job.id)
    lacking = [lack.words for lack in certificate.lacks(conn, job.id)]
    if issued and not lacking:
        return GlanceLine("Certificate", (f"no. {issued[-1].id} issued {issued[-1].issued_utc[:10]}",), "good", "job_record")
    how = ", though it lacked something" if issued and issued[-1].reason else "; since then it lacks something"
    first = [f"no. {issued[-1].id} issued {issued[-1].issued_utc[:10]}{how}"] if issued else []
    return _line("Certificate lacks", [*first, *lacking], none="nothing: it can be issued", state="watch", screen="job_record")


def _line(title: str, found: Sequence[str], *, none: str, state: Literal["watch", "plain"], screen: str = "") -> GlanceLine:
    if not found:
        return GlanceLine(title, (none,), "good" if state == "watch" else "plain", screen)
    unique = list(dict.fromkeys(found))
    return GlanceLine(title, tuple(unique[:SHOWN]), state, screen, max(0, len(unique) - SHOWN))
