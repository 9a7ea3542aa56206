"""What was measured when sets were verified; watches over intermittent faults; sets heard beside a good one."""

import sqlite3
from typing import NamedTuple


class MeasurementRow(NamedTuple):
    id: int
    kind: str
    band: str
    measured: str
    conditions: str
    sigma: float | None
    source: str
    cover: str
    at_utc: str
    after_repair: int
    after_act: int
    struck: str | None


class WatchRow(NamedTuple):
    id: int
    fault: str
    began_utc: str


class WatchEntryRow(NamedTuple):
    id: int
    kind: str
    place: str
    at_utc: str


class BesideRow(NamedTuple):
    id: int
    band: str
    reference: str
    aerial: str
    this_first: int
    first_score: int | None
    second_score: int | None
    words: str
    at_utc: str
    scored_utc: str | None


def add(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    kind: str,
    band: str,
    measured: str,
    conditions: str,
    sigma: float | None,
    source: str,
    cover: str,
    at_utc: str,
) -> int:
    """Keep one measurement (JSON in SI), and return its id; with it the last change and the last act at the bench that were before it."""
    cursor = conn.execute(
        """
        INSERT INTO measurement (job_id, kind, band, measured, conditions, sigma, source, cover, at_utc, after_repair, after_act)
        VALUES (:job_id, :kind, :band, :measured, :conditions, :sigma, :source, :cover, :at_utc,
                (SELECT coalesce(max(id), 0) FROM repair WHERE job_id = :job_id),
                (SELECT coalesce(max(act.id), 0) FROM act JOIN run ON run.id = act.run_id WHERE run.job_id = :job_id))""",
        {
            "job_id": job_id,
            "kind": kind,
            "band": band,
            "measured": measured,
            "conditions": conditions,
            "sigma": sigma,
            "source": source,
            "cover": cover,
            "at_utc": at_utc,
        },
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def of_job(conn: sqlite3.Connection, job_id: int) -> list[MeasurementRow]:
    """Return a job's measurements in their order, those that were struck too, with the reason."""
    rows = conn.execute(
        """
        SELECT m.id, m.kind, m.band, m.measured, m.conditions, m.sigma, m.source, m.cover, m.at_utc, m.after_repair, m.after_act, s.reason
        FROM measurement m LEFT JOIN measurement_strike s ON s.measurement_id = m.id WHERE m.job_id = :job_id ORDER BY m.id""",
        {"job_id": job_id},
    )
    return [MeasurementRow(*row) for row in rows]


def strike(conn: sqlite3.Connection, *, measurement_id: int, reason: str, at_utc: str) -> None:
    """Strike a measurement; one that was struck stays so."""
    conn.execute(
        "INSERT INTO measurement_strike (measurement_id, reason, at_utc) VALUES (:id, :reason, :at_utc) ON CONFLICT DO NOTHING",
        {"id": measurement_id, "reason": reason, "at_utc": at_utc},
    )


def begin_watch(conn: sqlite3.Connection, *, job_id: int, fault: str, at_utc: str) -> int:
    """Begin a watch over an intermittent fault, and return its id."""
    cursor = conn.execute(
        "INSERT INTO soak_watch (job_id, fault, began_utc) VALUES (:job_id, :fault, :at_utc)",
        {"job_id": job_id, "fault": fault, "at_utc": at_utc},
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def watches(conn: sqlite3.Connection, job_id: int) -> list[WatchRow]:
    """Return a job's watches in their order."""
    rows = conn.execute("SELECT id, fault, began_utc FROM soak_watch WHERE job_id = :job_id ORDER BY id", {"job_id": job_id})
    return [WatchRow(*row) for row in rows]


def add_watch_entry(conn: sqlite3.Connection, *, watch_id: int, kind: str, place: str, at_utc: str) -> None:
    """Log what happened in a watch."""
    conn.execute(
        "INSERT INTO soak_entry (watch_id, kind, place, at_utc) VALUES (:watch_id, :kind, :place, :at_utc)",
        {"watch_id": watch_id, "kind": kind, "place": place, "at_utc": at_utc},
    )


def watch_entries(conn: sqlite3.Connection, watch_id: int) -> list[WatchEntryRow]:
    """Return what was logged in a watch, in its order."""
    rows = conn.execute("SELECT id, kind, place, at_utc FROM soak_entry WHERE watch_id = :id ORDER BY id", {"id": watch_id})
    return [WatchEntryRow(*row) for row in rows]


def begin_beside(conn: sqlite3.Connection, *, job_id: int, band: str, reference: str, aerial: str, this_first: bool, at_utc: str) -> int:
    """Begin hearing a band beside a good set, and return the trial's id."""
    cursor = conn.execute(
        """
        INSERT INTO beside_good (job_id, band, reference, aerial, this_first, at_utc)
        VALUES (:job_id, :band, :reference, :aerial, :this_first, :at_utc)""",
        {"job_id": job_id, "band": band, "reference": reference, "aerial": aerial, "this_first": int(this_first), "at_utc": at_utc},
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def score_beside(conn: sqlite3.Connection, *, trial_id: int, first: int, second: int, words: str, at_utc: str) -> None:
    """Keep what both were worth (1 to 5); a trial is scored once."""
    conn.execute(
        """
        UPDATE beside_good SET first_score = :first, second_score = :second, words = :words, scored_utc = :at_utc
        WHERE id = :id AND scored_utc IS NULL""",
        {"id": trial_id, "first": first, "second": second, "words": words, "at_utc": at_utc},
    )


def beside(conn: sqlite3.Connection, job_id: int) -> list[BesideRow]:
    """Return a job's trials beside a good set, in their order."""
    rows = conn.execute(
        """
        SELECT id, band, reference, aerial, this_first, first_score, second_score, words, at_utc, scored_utc
        FROM beside_good WHERE job_id = :job_id ORDER BY id""",
        {"job_id": job_id},
    )
    return [BesideRow(*row) for row in rows]
