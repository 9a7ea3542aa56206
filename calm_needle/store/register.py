"""The register of instruments: what each was checked against, when, and how sure it is since."""

import sqlite3
from typing import NamedTuple


class CheckRow(NamedTuple):
    id: int
    instrument: str
    quantity: str
    serial: str
    checked_on: str
    due_on: str | None
    against: str
    found_off: float | None
    uncertainty: float
    given_as: str
    at_utc: str


def add(
    conn: sqlite3.Connection,
    *,
    instrument: str,
    quantity: str,
    serial: str,
    checked_on: str,
    due_on: str | None,
    against: str,
    found_off: float | None,
    uncertainty: float,
    given_as: str,
    at_utc: str,
) -> None:
    """Keep a check: days as 2026-03-31, what it was found off by and its uncertainty in the unit of its quantity, given_as what."""
    conn.execute(
        """
        INSERT INTO instrument_check (instrument, quantity, serial, checked_on, due_on, against, found_off, uncertainty, given_as,
            at_utc)
        VALUES (:instrument, :quantity, :serial, :checked_on, :due_on, :against, :found_off, :uncertainty, :given_as, :at_utc)""",
        {
            "instrument": instrument,
            "quantity": quantity,
            "serial": serial,
            "checked_on": checked_on,
            "due_on": due_on,
            "against": against,
            "found_off": found_off,
            "uncertainty": uncertainty,
            "given_as": given_as,
            "at_utc": at_utc,
        },
    )


def checks(conn: sqlite3.Connection) -> list[CheckRow]:
    """Return every check, the oldest first."""
    rows = conn.execute(
        """
        SELECT id, instrument, quantity, serial, checked_on, due_on, against, found_off, uncertainty, given_as, at_utc
        FROM instrument_check ORDER BY checked_on, id"""
    )
    return [CheckRow(*row) for row in rows]


def used_in_job(conn: sqlite3.Connection, job_id: int) -> set[tuple[str, str]]:
    """Return which instruments a job's readings are of, by what was read: kinds and quantities; parts apart, whose kind no table has."""
    rows = conn.execute(
        """
        SELECT 'multimeter', 'volts' FROM start_entry WHERE job_id = :job_id AND kind = 'rail'
        UNION SELECT 'multimeter', 'ohms' FROM band_check WHERE job_id = :job_id AND kind = 'coil'
        UNION SELECT 'generator', 'level' FROM band_check WHERE job_id = :job_id AND kind = 'level'
        UNION SELECT 'generator', 'level' FROM reading r JOIN run ON run.id = r.run_id WHERE run.job_id = :job_id AND r.generator_v > 0
        UNION SELECT 'generator', 'frequency' FROM reading r JOIN run ON run.id = r.run_id WHERE run.job_id = :job_id AND r.generator_hz > 0
        UNION SELECT 'ac-millivoltmeter', 'volts' FROM reading r JOIN run ON run.id = r.run_id WHERE run.job_id = :job_id AND r.unit = 'V'
        UNION SELECT 'counter', 'frequency' FROM reading r JOIN run ON run.id = r.run_id WHERE run.job_id = :job_id AND r.unit = 'Hz'
        UNION SELECT 'counter', 'frequency' FROM coverage WHERE job_id = :job_id
        UNION SELECT 'counter', 'frequency' FROM measurement WHERE job_id = :job_id AND kind IN ('frequency', 'window', 'drift')
        UNION SELECT 'generator', 'level' FROM measurement WHERE job_id = :job_id AND kind NOT IN ('frequency', 'window', 'drift')
        UNION SELECT 'generator', 'frequency' FROM measurement WHERE job_id = :job_id AND kind NOT IN ('frequency', 'drift')
        UNION SELECT 'ac-millivoltmeter', 'volts' FROM measurement
            WHERE job_id = :job_id AND source <> 'recording' AND kind NOT IN ('frequency', 'window', 'drift')""",
        {"job_id": job_id},
    )
    return {(str(instrument), str(quantity)) for instrument, quantity in rows}
