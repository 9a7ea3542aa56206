"""What a loose loop picked up of the oscillator over the dial of each band."""

import sqlite3
from collections.abc import Sequence
from typing import NamedTuple


class CoverageRow(NamedTuple):
    sweep: int
    label: str
    band: str
    dial_hz: float
    oscillator_hz: float
    vpp: float
    at_utc: str


def add_sweep(
    conn: sqlite3.Connection, *, job_id: int, label: str, readings: Sequence[tuple[str, float, float, float]], at_utc: str
) -> None:
    """Keep readings that were taken together: band, dial (Hz), oscillator (Hz, 0 for none), volts peak to peak. Within a transaction."""
    number = conn.execute("SELECT coalesce(max(sweep), 0) + 1 FROM coverage WHERE job_id = :job_id", {"job_id": job_id}).fetchone()[0]
    conn.executemany(
        """
        INSERT INTO coverage (job_id, sweep, label, band, dial_hz, oscillator_hz, vpp, at_utc)
        VALUES (:job_id, :sweep, :label, :band, :dial_hz, :oscillator_hz, :vpp, :at_utc)""",
        [
            {"job_id": job_id, "sweep": number, "label": label, "band": b, "dial_hz": d, "oscillator_hz": o, "vpp": v, "at_utc": at_utc}
            for b, d, o, v in readings
        ],
    )


def sweeps(conn: sqlite3.Connection, job_id: int) -> list[list[CoverageRow]]:
    """Return the sweeps of a job, the newest first, each in the order in which it was read."""
    rows = conn.execute(
        "SELECT sweep, label, band, dial_hz, oscillator_hz, vpp, at_utc FROM coverage WHERE job_id = :job_id ORDER BY sweep DESC, id",
        {"job_id": job_id},
    )
    out: dict[int, list[CoverageRow]] = {}
    for row in rows:
        out.setdefault(row[0], []).append(CoverageRow(*row))
    return list(out.values())
