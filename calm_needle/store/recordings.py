"""Recordings kept with a job. Their samples are base64 of 16 bits each, the least byte first, in parts of half a second."""

import sqlite3
from collections.abc import Sequence
from typing import NamedTuple


class RecordingRow(NamedTuple):
    id: int
    job_id: int
    reading_id: int | None
    words: str
    input: str
    rate_hz: float
    tone_hz: float | None
    sha256: str
    judged: str
    at_utc: str


def add(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    reading_id: int | None,
    words: str,
    input_label: str,
    rate_hz: float,
    tone_hz: float | None,
    sha256: str,
    judged: str,
    parts: Sequence[str],
    at_utc: str,
) -> int:
    """Keep a recording and return its id. Within a transaction."""
    recording_id = int(
        conn.execute(
            """
            INSERT INTO recording (job_id, reading_id, words, input, rate_hz, tone_hz, sha256, judged, at_utc)
            VALUES (:job_id, :reading_id, :words, :input, :rate_hz, :tone_hz, :sha256, :judged, :at_utc) RETURNING id""",
            {
                "job_id": job_id,
                "reading_id": reading_id,
                "words": words,
                "input": input_label,
                "rate_hz": rate_hz,
                "tone_hz": tone_hz,
                "sha256": sha256,
                "judged": judged,
                "at_utc": at_utc,
            },
        ).fetchone()[0]
    )
    conn.executemany(
        "INSERT INTO recording_part (recording_id, samples) VALUES (:recording_id, :samples)",
        [{"recording_id": recording_id, "samples": part} for part in parts],
    )
    return recording_id


def of_job(conn: sqlite3.Connection, job_id: int) -> list[RecordingRow]:
    """Return the recordings of a job, oldest first, without their samples."""
    rows = conn.execute(
        """
        SELECT id, job_id, reading_id, words, input, rate_hz, tone_hz, sha256, judged, at_utc
        FROM recording WHERE job_id = :job_id ORDER BY id""",
        {"job_id": job_id},
    )
    return [RecordingRow(*row) for row in rows]


def parts_of(conn: sqlite3.Connection, recording_id: int) -> list[str]:
    """Return the parts of a recording in their order."""
    rows = conn.execute("SELECT samples FROM recording_part WHERE recording_id = :id ORDER BY id", {"id": recording_id})
    return [str(row[0]) for row in rows]


def letters_of_job(conn: sqlite3.Connection, job_id: int) -> int:
    """Return how many letters all samples of a job's recordings take."""
    found = conn.execute(
        """
        SELECT coalesce(sum(length(p.samples)), 0) FROM recording_part p JOIN recording r ON r.id = p.recording_id
        WHERE r.job_id = :job_id""",
        {"job_id": job_id},
    )
    return int(found.fetchone()[0])


def delete(conn: sqlite3.Connection, recording_id: int) -> None:
    """Delete a recording and its samples: it may hold what was said in the room. Within a transaction."""
    conn.execute("DELETE FROM recording_part WHERE recording_id = :id", {"id": recording_id})
    conn.execute("DELETE FROM recording WHERE id = :id", {"id": recording_id})


def newest_reading(conn: sqlite3.Connection, job_id: int) -> tuple[int, str] | None:
    """Return the newest reading of a job that counts, and when it was taken; None where there is none."""
    row = conn.execute(
        """
        SELECT g.id, g.at_utc FROM reading g
        WHERE g.id = (SELECT max(x.id) FROM reading x WHERE x.visit_id =
                (SELECT max(id) FROM act WHERE kind = 'begin' AND run_id = (SELECT max(id) FROM run WHERE job_id = :job_id)))
            AND NOT EXISTS (SELECT 1 FROM strike s WHERE s.reading_id = g.id)""",
        {"job_id": job_id},
    ).fetchone()
    return (int(row[0]), str(row[1])) if row else None


def reading(conn: sqlite3.Connection, reading_id: int) -> tuple[float, str, float | None, float | None]:
    """Return what a reading was: value, unit, generator's frequency (Hz) and level (V)."""
    row = conn.execute("SELECT value, unit, generator_hz, generator_v FROM reading WHERE id = :id", {"id": reading_id}).fetchone()
    return float(row[0]), str(row[1]), row[2], row[3]


def job_of_newest_run(conn: sqlite3.Connection) -> int | None:
    """Return the job whose run was begun last, or None before there was any."""
    row = conn.execute("SELECT job_id FROM run ORDER BY id DESC LIMIT 1").fetchone()
    return int(row[0]) if row else None
