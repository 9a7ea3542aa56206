"""Runs: their acts, set-ups, readings, notes and findings. Everything here only grows."""

import json
import sqlite3
from typing import Any, NamedTuple


class RunRow(NamedTuple):
    id: int
    job_id: int
    dossier_id: int
    phase: str
    bench: str
    started_utc: str


class ActRow(NamedTuple):
    id: int
    kind: str
    at_utc: str
    detail: str
    after_repair: int


class ReadingRow(NamedTuple):
    id: int
    visit_id: int
    kind: str
    value: float
    unit: str
    generator_hz: float | None
    generator_v: float | None
    turns: float | None
    at_stop: int
    instrument: str
    at_utc: str
    struck: str | None
    quantity: str | None = None
    dial_hz: float | None = None
    other_turns: str | None = None
    way: int | None = None


class NoteRow(NamedTuple):
    id: int
    words: str
    at_utc: str


class FindingRow(NamedTuple):
    subject: str
    sentence: str
    evidence: str
    at_utc: str
    accuses: str | None = None


def add_run(conn: sqlite3.Connection, *, job_id: int, dossier_id: int, phase: str, bench: str, plan: str, at_utc: str) -> int:
    """Begin a run with its plan (JSON) and return its id. Within a transaction."""
    run_id = int(
        conn.execute(
            """
            INSERT INTO run (job_id, dossier_id, phase, bench, started_utc)
            VALUES (:job_id, :dossier_id, :phase, :bench, :at_utc) RETURNING id""",
            {"job_id": job_id, "dossier_id": dossier_id, "phase": phase, "bench": bench, "at_utc": at_utc},
        ).fetchone()[0]
    )
    conn.execute("INSERT INTO run_plan (run_id, content) VALUES (:run_id, :plan)", {"run_id": run_id, "plan": plan})
    return run_id


def plan_of_run(conn: sqlite3.Connection, run_id: int) -> str:
    """Return the plan that a run was begun with, as JSON."""
    return str(conn.execute("SELECT content FROM run_plan WHERE run_id = :id", {"id": run_id}).fetchone()[0])


def run(conn: sqlite3.Connection, run_id: int) -> RunRow | None:
    """Return a run, or None."""
    row = conn.execute("SELECT id, job_id, dossier_id, phase, bench, started_utc FROM run WHERE id = :id", {"id": run_id}).fetchone()
    return RunRow(*row) if row else None


def runs_of_job(conn: sqlite3.Connection, job_id: int) -> list[RunRow]:
    """Return the runs of a job, oldest first."""
    rows = conn.execute("SELECT id, job_id, dossier_id, phase, bench, started_utc FROM run WHERE job_id = :id ORDER BY id", {"id": job_id})
    return [RunRow(*row) for row in rows]


def finished_runs(conn: sqlite3.Connection, job_id: int) -> set[int]:
    """Return the ids of a job's runs that were finished."""
    rows = conn.execute(
        "SELECT run_id FROM act WHERE kind = 'finish' AND run_id IN (SELECT id FROM run WHERE job_id = :job_id)", {"job_id": job_id}
    )
    return {row[0] for row in rows}


def last_reading(conn: sqlite3.Connection, run_id: int) -> tuple[float, str, str] | None:
    """Return value, unit and time of the reading that was taken last in a run, or None."""
    row = conn.execute(
        """
        SELECT r.value, r.unit, r.at_utc FROM reading r WHERE r.visit_id =
            (SELECT id FROM act WHERE run_id = :id AND kind = 'begin' AND EXISTS (SELECT 1 FROM reading WHERE visit_id = act.id)
            ORDER BY id DESC LIMIT 1)
        ORDER BY r.id DESC LIMIT 1""",
        {"id": run_id},
    ).fetchone()
    return (float(row[0]), str(row[1]), str(row[2])) if row else None


def last_pointer(conn: sqlite3.Connection, job_id: int) -> dict[str, Any] | None:
    """Return how the pointer of a job's set came back when it was last measured, in any of its jobs; None where it never was."""
    row = conn.execute(
        """
        SELECT detail -> '$.dial.pointer' FROM act WHERE kind = 'decide' AND detail ->> '$.dial.pointer.returns' > 0 AND run_id IN
            (SELECT run.id FROM run JOIN job ON job.id = run.job_id WHERE job.set_id = (SELECT set_id FROM job WHERE id = :job_id))
        ORDER BY id DESC LIMIT 1""",
        {"job_id": job_id},
    ).fetchone()
    return json.loads(row[0]) if row else None


def add_act(conn: sqlite3.Connection, *, run_id: int, kind: str, at_utc: str, detail: str) -> int:
    """Keep an act and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO act (run_id, kind, at_utc, detail, after_repair)
            VALUES (:run_id, :kind, :at_utc, :detail, (SELECT coalesce(max(id), 0) FROM repair)) RETURNING id""",
            {"run_id": run_id, "kind": kind, "at_utc": at_utc, "detail": detail},
        ).fetchone()[0]
    )


def acts(conn: sqlite3.Connection, run_id: int) -> list[ActRow]:
    """Return the acts of a run in their order."""
    rows = conn.execute("SELECT id, kind, at_utc, detail, after_repair FROM act WHERE run_id = :id ORDER BY id", {"id": run_id})
    return [ActRow(*row) for row in rows]


def turned_uncounted(conn: sqlite3.Connection, job_id: int) -> bool:
    """Whether an adjuster was peaked on a job while nobody counted its turns."""
    return bool(
        conn.execute(
            """
            SELECT EXISTS (
                SELECT 1 FROM act a JOIN run r ON r.id = a.run_id
                WHERE r.job_id = :id AND a.kind = 'take' AND json_extract(a.detail, '$.gain_db') IS NOT NULL
                    AND json_extract(a.detail, '$.net_turns') IS NULL)""",
            {"id": job_id},
        ).fetchone()[0]
    )


class TurningRow(NamedTuple):
    """An act in which an adjuster may have been turned: its id and run, the run's phase, its step, and the net turns, None where nobody
    counted them."""

    act_id: int
    run_id: int
    phase: str
    step_id: str
    net_turns: float | None


def turning_acts(conn: sqlite3.Connection, job_id: int) -> list[TurningRow]:
    """Return the acts by which steps of a job's runs were taken, in their order."""
    rows = conn.execute(
        """
        SELECT a.id, a.run_id, r.phase, json_extract(a.detail, '$.step_id'), json_extract(a.detail, '$.net_turns')
        FROM act a JOIN run r ON r.id = a.run_id
        WHERE r.job_id = :id AND a.kind IN ('take', 'no_peak') AND json_extract(a.detail, '$.step_id') IS NOT NULL ORDER BY a.id""",
        {"id": job_id},
    )
    return [TurningRow(*row) for row in rows]


def groups_of_run(conn: sqlite3.Connection, run_id: int) -> list[str]:
    """Return the groups of a run as its plan and the decisions that added to it write them (JSON), each a list of groups."""
    rows = conn.execute(
        """
        SELECT json_extract(content, '$.groups') FROM run_plan WHERE run_id = :id
        UNION ALL SELECT json_extract(detail, '$.groups') FROM act WHERE run_id = :id AND json_type(detail, '$.groups') = 'array'""",
        {"id": run_id},
    )
    return [str(row[0]) for row in rows]


def last_act(conn: sqlite3.Connection, run_id: int) -> int:
    """Return the id of a run's newest act, 0 before there is one."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM act WHERE run_id = :id", {"id": run_id}).fetchone()[0])


def add_set_up(conn: sqlite3.Connection, *, run_id: int, detail: str, at_utc: str) -> int:
    """Keep the context of the readings to come and return its id."""
    return int(
        conn.execute(
            "INSERT INTO set_up (run_id, detail, at_utc) VALUES (:run_id, :detail, :at_utc) RETURNING id",
            {"run_id": run_id, "detail": detail, "at_utc": at_utc},
        ).fetchone()[0]
    )


def last_set_up(conn: sqlite3.Connection, run_id: int) -> tuple[int, str] | None:
    """Return id and detail of the run's newest set-up, or None."""
    row = conn.execute("SELECT id, detail FROM set_up WHERE run_id = :id ORDER BY id DESC LIMIT 1", {"id": run_id}).fetchone()
    return (int(row[0]), str(row[1])) if row else None


def add_reading(
    conn: sqlite3.Connection,
    *,
    run_id: int,
    visit_id: int,
    set_up_id: int,
    kind: str,
    value: float,
    unit: str,
    generator_hz: float | None,
    generator_v: float | None,
    turns: float | None,
    at_stop: bool,
    instrument: str,
    at_utc: str,
    quantity: str | None = None,
    dial_hz: float | None = None,
    other_turns: str | None = None,
    way: int | None = None,
) -> int:
    """Keep a reading with its context and return its id; when this returns outside a transaction it is on the disk."""
    return int(
        conn.execute(
            """
            INSERT INTO reading (run_id, visit_id, set_up_id, kind, value, unit, generator_hz, generator_v, turns, at_stop,
                                 instrument, at_utc, quantity, dial_hz, other_turns, way)
            VALUES (:run_id, :visit_id, :set_up_id, :kind, :value, :unit, :generator_hz, :generator_v, :turns, :at_stop,
                    :instrument, :at_utc, :quantity, :dial_hz, :other_turns, :way)
            RETURNING id""",
            {
                "run_id": run_id,
                "visit_id": visit_id,
                "set_up_id": set_up_id,
                "kind": kind,
                "value": value,
                "unit": unit,
                "generator_hz": generator_hz,
                "generator_v": generator_v,
                "turns": turns,
                "at_stop": int(at_stop),
                "instrument": instrument,
                "at_utc": at_utc,
                "quantity": quantity,
                "dial_hz": dial_hz,
                "other_turns": other_turns,
                "way": way,
            },
        ).fetchone()[0]
    )


def readings_of_visit(conn: sqlite3.Connection, visit_id: int) -> list[ReadingRow]:
    """Return the readings of one stay at a step in their order, struck ones with their reason."""
    rows = conn.execute(
        """
        SELECT r.id, visit_id, kind, value, unit, generator_hz, generator_v, turns, at_stop, instrument, r.at_utc, s.reason,
            quantity, dial_hz, other_turns, way
        FROM reading r LEFT JOIN strike s ON s.reading_id = r.id WHERE visit_id = :id ORDER BY r.id""",
        {"id": visit_id},
    )
    return [ReadingRow(*row) for row in rows]


def reading_count(conn: sqlite3.Connection, run_id: int) -> int:
    """Return how many readings a run holds."""
    return int(
        conn.execute(
            "SELECT count(*) FROM reading WHERE visit_id IN (SELECT id FROM act WHERE run_id = :id AND kind = 'begin')", {"id": run_id}
        ).fetchone()[0]
    )


def strike(conn: sqlite3.Connection, *, reading_id: int, reason: str, at_utc: str) -> None:
    """Strike a reading out. Raises sqlite3.IntegrityError when it is struck already or does not exist."""
    conn.execute(
        "INSERT INTO strike (reading_id, reason, at_utc) VALUES (:reading_id, :reason, :at_utc)",
        {"reading_id": reading_id, "reason": reason, "at_utc": at_utc},
    )


def add_note(conn: sqlite3.Connection, *, run_id: int, visit_id: int | None, words: str, at_utc: str) -> None:
    """Keep a note."""
    conn.execute(
        "INSERT INTO note (run_id, visit_id, words, at_utc) VALUES (:run_id, :visit_id, :words, :at_utc)",
        {"run_id": run_id, "visit_id": visit_id, "words": words, "at_utc": at_utc},
    )


def notes(conn: sqlite3.Connection, run_id: int) -> list[NoteRow]:
    """Return the notes of a run in their order."""
    return [NoteRow(*row) for row in conn.execute("SELECT id, words, at_utc FROM note WHERE run_id = :id ORDER BY id", {"id": run_id})]


def add_finding(
    conn: sqlite3.Connection, *, run_id: int, subject: str, sentence: str, evidence: str, at_utc: str, accuses: str | None = None
) -> None:
    """Keep a finding. accuses: the part that it accuses, if any."""
    conn.execute(
        """
        INSERT INTO finding (run_id, subject, sentence, evidence, at_utc, accuses)
        VALUES (:run_id, :subject, :sentence, :evidence, :at_utc, :accuses)""",
        {"run_id": run_id, "subject": subject, "sentence": sentence, "evidence": evidence, "at_utc": at_utc, "accuses": accuses},
    )


def findings(conn: sqlite3.Connection, run_id: int) -> list[FindingRow]:
    """Return the findings of a run in their order."""
    rows = conn.execute("SELECT subject, sentence, evidence, at_utc, accuses FROM finding WHERE run_id = :id ORDER BY id", {"id": run_id})
    return [FindingRow(*row) for row in rows]
