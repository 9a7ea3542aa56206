"""What a set, a model and the workshop have behind them, over all jobs."""

import sqlite3


def jobs_of_model(conn: sqlite3.Connection, model_id: int) -> list[tuple[int, int]]:
    """Return the jobs of a model with the sets they were about, the oldest first."""
    rows = conn.execute(
        "SELECT j.id, s.id FROM job j JOIN radio_set s ON s.id = j.set_id WHERE s.model_id = :model_id ORDER BY j.id",
        {"model_id": model_id},
    )
    return [(int(a), int(b)) for a, b in rows]


def jobs_of_set(conn: sqlite3.Connection, set_id: int) -> list[int]:
    """Return the jobs of a set, the oldest first."""
    return [int(row[0]) for row in conn.execute("SELECT id FROM job WHERE set_id = :set_id ORDER BY id", {"set_id": set_id})]


def parts_put_right(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return the parts that were replaced, wound anew or mended in a job, as often as they were."""
    rows = conn.execute(
        "SELECT part FROM repair WHERE job_id = :job_id AND what IN ('replaced', 'wound anew', 'mended') ORDER BY id", {"job_id": job_id}
    )
    return [str(row[0]) for row in rows]


def parts_changed(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return the parts to which anything was done in a job, each once."""
    rows = conn.execute("SELECT part FROM repair WHERE job_id = :job_id GROUP BY part ORDER BY min(id)", {"job_id": job_id})
    return [str(row[0]) for row in rows]


def times_of_finished_runs(conn: sqlite3.Connection) -> list[tuple[str, list[str]]]:
    """Return of the last 200 runs that were finished the phase, and when each of its acts was."""
    rows = conn.execute(
        """
        SELECT r.phase, group_concat(a.at_utc, ' ') FROM run r JOIN act a ON a.run_id = r.id
        WHERE EXISTS (SELECT 1 FROM act f WHERE f.run_id = r.id AND f.kind = 'finish')
        GROUP BY r.id ORDER BY r.id DESC LIMIT 200"""
    )
    return [(str(phase), str(times).split(" ")) for phase, times in rows]


def add_rehearsed(conn: sqlite3.Connection, *, dossier_id: int, phase: str, seed: int, minutes: float, at_utc: str) -> None:
    """Keep how long a phase took in rehearsal; the same rehearsed again takes the place of the former."""
    conn.execute(
        """
        INSERT INTO rehearsed (dossier_id, phase, seed, minutes, at_utc) VALUES (:dossier_id, :phase, :seed, :minutes, :at_utc)
        ON CONFLICT (dossier_id, phase, seed) DO UPDATE SET minutes = excluded.minutes, at_utc = excluded.at_utc""",
        {"dossier_id": dossier_id, "phase": phase, "seed": seed, "minutes": minutes, "at_utc": at_utc},
    )


def rehearsed_minutes(conn: sqlite3.Connection, dossier_id: int) -> list[tuple[str, float]]:
    """Return the phases that were rehearsed by a dossier, and how long each took (min)."""
    rows = conn.execute(
        "SELECT phase, minutes FROM rehearsed WHERE dossier_id = :dossier_id ORDER BY phase, seed", {"dossier_id": dossier_id}
    )
    return [(str(phase), float(took)) for phase, took in rows]
