"""Guided pieces of work of a job, with what was answered at each stage."""

import sqlite3
from typing import NamedTuple


class WorkRow(NamedTuple):
    id: int
    job_id: int
    piece: str
    subject: str
    sister: str
    at_utc: str
    outcome: str | None
    words: str


class AnswerRow(NamedTuple):
    stage: str
    answers: str
    at_utc: str


class ReadingRow(NamedTuple):
    stage: str
    ask: str
    part: str
    typed: str
    sentence: str
    points: str | None
    at_utc: str


def add_work(conn: sqlite3.Connection, *, job_id: int, piece: str, subject: str, sister: str, at_utc: str) -> int:
    """Begin a piece of work and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO guided_work (job_id, piece, subject, sister, at_utc)
            VALUES (:job_id, :piece, :subject, :sister, :at_utc) RETURNING id""",
            {"job_id": job_id, "piece": piece, "subject": subject, "sister": sister, "at_utc": at_utc},
        ).fetchone()[0]
    )


def works_of_job(conn: sqlite3.Connection, job_id: int) -> list[WorkRow]:
    """Return the pieces of work of a job in their order, with what came of them."""
    rows = conn.execute(
        """
        SELECT w.id, w.job_id, w.piece, w.subject, w.sister, w.at_utc, e.outcome, coalesce(e.words, '')
        FROM guided_work w LEFT JOIN guided_end e ON e.work_id = w.id WHERE w.job_id = :job_id ORDER BY w.id""",
        {"job_id": job_id},
    )
    return [WorkRow(*row) for row in rows]


def add_answer(conn: sqlite3.Connection, *, work_id: int, stage: str, answers: str, at_utc: str) -> None:
    """Keep what was answered at a stage; the last answer counts."""
    conn.execute(
        "INSERT INTO guided_answer (work_id, stage, answers, at_utc) VALUES (:work_id, :stage, :answers, :at_utc)",
        {"work_id": work_id, "stage": stage, "answers": answers, "at_utc": at_utc},
    )


def answers_of_work(conn: sqlite3.Connection, work_id: int) -> list[AnswerRow]:
    """Return what was answered, in order."""
    rows = conn.execute("SELECT stage, answers, at_utc FROM guided_answer WHERE work_id = :work_id ORDER BY id", {"work_id": work_id})
    return [AnswerRow(*row) for row in rows]


def add_reading(
    conn: sqlite3.Connection, *, work_id: int, stage: str, ask: str, part: str, typed: str, sentence: str, points: str | None, at_utc: str
) -> None:
    """Keep what a meter found for an ask; points: those of a scan, as JSON."""
    conn.execute(
        """
        INSERT INTO guided_reading (work_id, stage, ask, part, typed, sentence, points, at_utc)
        VALUES (:work_id, :stage, :ask, :part, :typed, :sentence, :points, :at_utc)""",
        {
            "work_id": work_id,
            "stage": stage,
            "ask": ask,
            "part": part,
            "typed": typed,
            "sentence": sentence,
            "points": points,
            "at_utc": at_utc,
        },
    )


def readings_of_work(conn: sqlite3.Connection, work_id: int) -> list[ReadingRow]:
    """Return what meters found for a piece of work, in order."""
    rows = conn.execute(
        "SELECT stage, ask, part, typed, sentence, points, at_utc FROM guided_reading WHERE work_id = :work_id ORDER BY id",
        {"work_id": work_id},
    )
    return [ReadingRow(*row) for row in rows]


def end_work(conn: sqlite3.Connection, *, work_id: int, outcome: str, words: str, at_utc: str) -> None:
    """Record that a piece of work is through, or given up. Raises sqlite3.IntegrityError when it was ended before."""
    conn.execute(
        "INSERT INTO guided_end (work_id, outcome, words, at_utc) VALUES (:work_id, :outcome, :words, :at_utc)",
        {"work_id": work_id, "outcome": outcome, "words": words, "at_utc": at_utc},
    )
