"""What was heard and measured on each band of a set."""

import sqlite3
from typing import NamedTuple


class BandCheckRow(NamedTuple):
    band: str
    kind: str
    heard: str | None
    value: float | None
    coupling: str
    at_utc: str
    after_repair: int


def add_band_check(
    conn: sqlite3.Connection, *, job_id: int, band: str, kind: str, heard: str | None, value: float | None, coupling: str, at_utc: str
) -> None:
    """Keep one entry; value in V or ohm, None for an open coil."""
    conn.execute(
        """
        INSERT INTO band_check (job_id, band, kind, heard, value, coupling, at_utc, after_repair)
        VALUES (:job_id, :band, :kind, :heard, :value, :coupling, :at_utc, (SELECT coalesce(max(id), 0) FROM repair))""",
        {"job_id": job_id, "band": band, "kind": kind, "heard": heard, "value": value, "coupling": coupling, "at_utc": at_utc},
    )


def band_checks(conn: sqlite3.Connection, job_id: int) -> list[BandCheckRow]:
    """Return the entries of a job in their order, each with the id of the last change that was made before it."""
    rows = conn.execute(
        "SELECT band, kind, heard, value, coupling, at_utc, after_repair FROM band_check WHERE job_id = :job_id ORDER BY id",
        {"job_id": job_id},
    )
    return [BandCheckRow(*row) for row in rows]


def add_band_note(conn: sqlite3.Connection, *, job_id: int, band: str, kind: str, words: str, at_utc: str) -> None:
    """Keep why a band is left blank, or whether its oscillator runs; the last one of a kind counts, one without words is none."""
    conn.execute(
        "INSERT INTO band_note (job_id, band, kind, words, at_utc) VALUES (:job_id, :band, :kind, :words, :at_utc)",
        {"job_id": job_id, "band": band, "kind": kind, "words": words, "at_utc": at_utc},
    )


def band_notes(conn: sqlite3.Connection, job_id: int) -> dict[tuple[str, str], str]:
    """Return what counts of a job's bands by band and kind."""
    rows = conn.execute("SELECT band, kind, words FROM band_note WHERE job_id = :job_id ORDER BY id", {"job_id": job_id})
    return {(str(band), str(kind)): str(words) for band, kind, words in rows}
