"""Models with their dossiers, sets, jobs and the marks of their phases."""

import sqlite3
from typing import NamedTuple


class ModelRow(NamedTuple):
    id: int
    key: str
    name: str
    dossier_id: int
    sets: int


class SetRow(NamedTuple):
    id: int
    model_id: int
    model_name: str
    model_key: str
    serial: str
    owner: str
    remarks: str
    jobs: int


class JobRow(NamedTuple):
    id: int
    set_id: int
    complaint: str
    bench: str
    opened_utc: str
    serial: str
    owner: str
    model_id: int
    model_name: str
    model_key: str
    dossier_id: int


class StaleRow(NamedTuple):
    state: str
    remark: str
    stale_groups: str | None


class PhaseMarkRow(NamedTuple):
    phase: str
    state: str
    remark: str
    at_utc: str
    id: int


def add_dossier(conn: sqlite3.Connection, *, key: str, name: str, content: str, sha256: str, at_utc: str) -> int:
    """Keep a dossier as the current one of its model, which is made if need be; return the dossier's id. Within a transaction."""
    conn.execute(
        "INSERT INTO model (key, name) VALUES (:key, :name) ON CONFLICT (key) DO UPDATE SET name = :name", {"key": key, "name": name}
    )
    model_id = int(conn.execute("SELECT id FROM model WHERE key = :key", {"key": key}).fetchone()[0])
    dossier_id = add_content(conn, model_id, content, sha256, at_utc)
    conn.execute("UPDATE model SET dossier_id = :dossier_id WHERE id = :model_id", {"dossier_id": dossier_id, "model_id": model_id})
    return dossier_id


def add_content(conn: sqlite3.Connection, model_id: int, content: str, sha256: str, at_utc: str) -> int:
    """Keep the content of a dossier, once, and return its id. Within a transaction."""
    conn.execute(
        """
        INSERT INTO dossier (model_id, content, sha256, taken_in_utc) VALUES (:model_id, :content, :sha256, :at_utc)
        ON CONFLICT (model_id, sha256) DO NOTHING""",
        {"model_id": model_id, "content": content, "sha256": sha256, "at_utc": at_utc},
    )
    known = {"model_id": model_id, "sha256": sha256}
    return int(conn.execute("SELECT id FROM dossier WHERE model_id = :model_id AND sha256 = :sha256", known).fetchone()[0])


def dossier_content(conn: sqlite3.Connection, dossier_id: int) -> str | None:
    """Return the JSON text of a dossier, or None."""
    row = conn.execute("SELECT content FROM dossier WHERE id = :id", {"id": dossier_id}).fetchone()
    return str(row[0]) if row else None


def models(conn: sqlite3.Connection) -> list[ModelRow]:
    """Return the models by name."""
    rows = conn.execute("""
        SELECT model.id, key, name, dossier_id, (SELECT count(*) FROM radio_set WHERE model_id = model.id)
        FROM model WHERE dossier_id IS NOT NULL ORDER BY name""")
    return [ModelRow(*row) for row in rows]


def model_by_key(conn: sqlite3.Connection, key: str) -> ModelRow | None:
    """Return a model by its key, or None."""
    row = conn.execute(
        """
        SELECT model.id, key, name, dossier_id, (SELECT count(*) FROM radio_set WHERE model_id = model.id)
        FROM model WHERE key = :key AND dossier_id IS NOT NULL""",
        {"key": key},
    ).fetchone()
    return ModelRow(*row) if row else None


def add_set(conn: sqlite3.Connection, *, model_id: int, serial: str, owner: str, remarks: str, at_utc: str) -> int:
    """Keep a set and return its id. Raises sqlite3.IntegrityError when the model has that serial number already."""
    return int(
        conn.execute(
            """
            INSERT INTO radio_set (model_id, serial, owner, remarks, added_utc)
            VALUES (:model_id, :serial, :owner, :remarks, :at_utc) RETURNING id""",
            {"model_id": model_id, "serial": serial, "owner": owner, "remarks": remarks, "at_utc": at_utc},
        ).fetchone()[0]
    )


def newest_sets(conn: sqlite3.Connection, *, limit: int) -> list[SetRow]:
    """Return the sets that were put on the shelf last, newest first, with the number of their jobs."""
    rows = conn.execute(
        """
        SELECT s.id, s.model_id, m.name, m.key, s.serial, s.owner, s.remarks, (SELECT count(*) FROM job WHERE set_id = s.id)
        FROM radio_set s JOIN model m ON m.id = s.model_id ORDER BY s.id DESC LIMIT :limit""",
        {"limit": limit},
    )
    return [SetRow(*row) for row in rows]


def count_sets(conn: sqlite3.Connection) -> int:
    """Return how many sets there are."""
    return int(conn.execute("SELECT count(*) FROM radio_set").fetchone()[0])


def radio_set(conn: sqlite3.Connection, set_id: int) -> SetRow | None:
    """Return a set, or None."""
    row = conn.execute(
        """
        SELECT s.id, s.model_id, m.name, m.key, s.serial, s.owner, s.remarks, (SELECT count(*) FROM job WHERE set_id = s.id)
        FROM radio_set s JOIN model m ON m.id = s.model_id WHERE s.id = :id""",
        {"id": set_id},
    ).fetchone()
    return SetRow(*row) if row else None


def set_of_serial(conn: sqlite3.Connection, *, model_id: int, serial: str) -> int | None:
    """Return the id of the set of a model with this serial number, or None."""
    row = conn.execute(
        "SELECT id FROM radio_set WHERE model_id = :model_id AND serial = :serial", {"model_id": model_id, "serial": serial}
    ).fetchone()
    return int(row[0]) if row else None


def add_job(conn: sqlite3.Connection, *, set_id: int, complaint: str, bench: str, at_utc: str) -> int:
    """Keep a job and return its id."""
    return int(
        conn.execute(
            """
            INSERT INTO job (set_id, complaint, bench, opened_utc)
            VALUES (:set_id, :complaint, :bench, :at_utc) RETURNING id""",
            {"set_id": set_id, "complaint": complaint, "bench": bench, "at_utc": at_utc},
        ).fetchone()[0]
    )


def newest_jobs(conn: sqlite3.Connection, *, limit: int, offset: int = 0) -> list[JobRow]:
    """Return jobs, newest first."""
    rows = conn.execute(
        """
        SELECT j.id, j.set_id, j.complaint, j.bench, j.opened_utc, s.serial, s.owner, m.id, m.name, m.key,
            coalesce(s.dossier_id, m.dossier_id)
        FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id
        ORDER BY j.id DESC LIMIT :limit OFFSET :offset""",
        {"limit": limit, "offset": offset},
    )
    return [JobRow(*row) for row in rows]


def count_jobs(conn: sqlite3.Connection) -> int:
    """Return how many jobs there are."""
    return int(conn.execute("SELECT count(*) FROM job").fetchone()[0])


def find_jobs(conn: sqlite3.Connection, *, patterns: tuple[str, str, str], limit: int, offset: int) -> list[JobRow]:
    """Return jobs in whose model, number, owner or complaint all three patterns of LIKE are found ("%" finds any), newest first."""
    rows = conn.execute(
        """
        SELECT j.id, j.set_id, j.complaint, j.bench, j.opened_utc, s.serial, s.owner, m.id, m.name, m.key,
            coalesce(s.dossier_id, m.dossier_id)
        FROM (SELECT job_id FROM job_words
            WHERE words LIKE :a ESCAPE '!' AND words LIKE :b ESCAPE '!' AND words LIKE :c ESCAPE '!'
            ORDER BY job_id DESC LIMIT :limit OFFSET :offset) found
        JOIN job j ON j.id = found.job_id JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id ORDER BY j.id DESC""",
        {"a": patterns[0], "b": patterns[1], "c": patterns[2], "limit": limit, "offset": offset},
    )
    return [JobRow(*row) for row in rows]


def count_found(conn: sqlite3.Connection, *, patterns: tuple[str, str, str]) -> int:
    """Return how many jobs find_jobs would find in all."""
    return int(
        conn.execute(
            "SELECT count(*) FROM job_words WHERE words LIKE :a ESCAPE '!' AND words LIKE :b ESCAPE '!' AND words LIKE :c ESCAPE '!'",
            {"a": patterns[0], "b": patterns[1], "c": patterns[2]},
        ).fetchone()[0]
    )


def job(conn: sqlite3.Connection, job_id: int) -> JobRow | None:
    """Return a job, or None."""
    row = conn.execute(
        """
        SELECT j.id, j.set_id, j.complaint, j.bench, j.opened_utc, s.serial, s.owner, m.id, m.name, m.key,
            coalesce(s.dossier_id, m.dossier_id)
        FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id WHERE j.id = :id""",
        {"id": job_id},
    ).fetchone()
    return JobRow(*row) if row else None


def mark_phase(
    conn: sqlite3.Connection, *, job_id: int, phase: str, state: str, remark: str, at_utc: str, stale_groups: str | None = None
) -> None:
    """Add a mark to a phase; the last one counts."""
    conn.execute(
        """
        INSERT INTO phase_mark (job_id, phase, state, remark, at_utc, stale_groups)
        VALUES (:job_id, :phase, :state, :remark, :at_utc, :stale_groups)""",
        {"job_id": job_id, "phase": phase, "state": state, "remark": remark, "at_utc": at_utc, "stale_groups": stale_groups},
    )


def phase_history(conn: sqlite3.Connection, job_id: int, phase: str) -> list[StaleRow]:
    """Return every mark of one phase in its order, with the groups (JSON) that it put in doubt."""
    named = {"id": job_id, "phase": phase}
    rows = conn.execute("SELECT state, remark, stale_groups FROM phase_mark WHERE job_id = :id AND phase = :phase ORDER BY id", named)
    return [StaleRow(*row) for row in rows]


def phase_marks(conn: sqlite3.Connection, job_id: int) -> dict[str, PhaseMarkRow]:
    """Return the mark that counts for each phase that has one."""
    rows = conn.execute("SELECT phase, state, remark, at_utc, id FROM phase_mark WHERE job_id = :id ORDER BY id", {"id": job_id})
    return {row[0]: PhaseMarkRow(*row) for row in rows}
