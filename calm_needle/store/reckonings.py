"""Results of calculators that were sent into a job."""

import sqlite3
from typing import NamedTuple


class ReckoningRow(NamedTuple):
    id: int
    calculator: str
    kind: str
    sentence: str
    inputs: str
    results: str
    at_utc: str


def add_reckoning(
    conn: sqlite3.Connection, *, job_id: int, calculator: str, kind: str, sentence: str, inputs: str, results: str, at_utc: str
) -> int:
    """Keep a result and return its id; inputs and results are JSON."""
    return int(
        conn.execute(
            """
            INSERT INTO reckoning (job_id, calculator, kind, sentence, inputs, results, at_utc)
            VALUES (:job_id, :calculator, :kind, :sentence, :inputs, :results, :at_utc) RETURNING id""",
            {
                "job_id": job_id,
                "calculator": calculator,
                "kind": kind,
                "sentence": sentence,
                "inputs": inputs,
                "results": results,
                "at_utc": at_utc,
            },
        ).fetchone()[0]
    )


def reckonings_of_job(conn: sqlite3.Connection, job_id: int) -> list[ReckoningRow]:
    """Return the results sent into a job, in their order."""
    rows = conn.execute(
        """
        SELECT id, calculator, kind, sentence, inputs, results, at_utc FROM reckoning WHERE job_id = :job_id ORDER BY id""",
        {"job_id": job_id},
    )
    return [ReckoningRow(*row) for row in rows]
