"""A gang's sections, read at several places of its shaft."""

import sqlite3
from collections.abc import Sequence
from typing import NamedTuple


class GangRow(NamedTuple):
    number: int
    band: str
    dial_hz: float
    oscillator_f: float | None
    signal_f: float | None
    donor_f: float | None
    at_utc: str


def add_readings(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    band: str,
    readings: Sequence[tuple[float, float | None, float | None, float | None]],
    at_utc: str,
) -> None:
    """Keep readings that were taken together: pointer on this band's scale (Hz), oscillator's, signal's, donor's section (F). Within a
    transaction."""
    number = conn.execute("SELECT coalesce(max(number), 0) + 1 FROM gang_reading WHERE job_id = :job_id", {"job_id": job_id}).fetchone()[0]
    conn.executemany(
        """
        INSERT INTO gang_reading (job_id, number, band, dial_hz, oscillator_f, signal_f, donor_f, at_utc)
        VALUES (:job_id, :number, :band, :dial_hz, :oscillator_f, :signal_f, :donor_f, :at_utc)""",
        [
            {
                "job_id": job_id,
                "number": number,
                "band": band,
                "dial_hz": dial_hz,
                "oscillator_f": oscillator_f,
                "signal_f": signal_f,
                "donor_f": donor_f,
                "at_utc": at_utc,
            }
            for dial_hz, oscillator_f, signal_f, donor_f in readings
        ],
    )


def newest(conn: sqlite3.Connection, job_id: int) -> list[GangRow]:
    """Return the readings of a job that were taken together last, in their order."""
    rows = conn.execute(
        """
        SELECT number, band, dial_hz, oscillator_f, signal_f, donor_f, at_utc FROM gang_reading
        WHERE job_id = :job_id AND number = (SELECT max(number) FROM gang_reading WHERE job_id = :job_id) ORDER BY id""",
        {"job_id": job_id},
    )
    return [GangRow(*row) for row in rows]
