"""Certificates as they were issued, with their PDF."""

import sqlite3
from typing import NamedTuple


class CertificateRow(NamedTuple):
    id: int
    job_id: int
    digest: str
    content: str
    pdf_sha256: str
    supersedes: int | None
    reason: str
    issued_utc: str


def next_number(conn: sqlite3.Connection) -> int:
    """Return the number that the next certificate gets. Within a transaction: numbers have no gaps and are given once."""
    return int(conn.execute("SELECT coalesce(max(id), 0) + 1 FROM certificate").fetchone()[0])


def add(
    conn: sqlite3.Connection,
    *,
    number: int,
    job_id: int,
    digest: str,
    content: str,
    pdf: bytes,
    pdf_sha256: str,
    supersedes: int | None,
    reason: str,
    issued_utc: str,
) -> None:
    """Keep a certificate."""
    conn.execute(
        """
        INSERT INTO certificate (id, job_id, digest, content, pdf, pdf_sha256, supersedes, reason, issued_utc)
        VALUES (:number, :job_id, :digest, :content, :pdf, :pdf_sha256, :supersedes, :reason, :issued_utc)""",
        {
            "number": number,
            "job_id": job_id,
            "digest": digest,
            "content": content,
            "pdf": pdf,
            "pdf_sha256": pdf_sha256,
            "supersedes": supersedes,
            "reason": reason,
            "issued_utc": issued_utc,
        },
    )


def of_job(conn: sqlite3.Connection, job_id: int) -> list[CertificateRow]:
    """Return a job's certificates, the oldest first."""
    rows = conn.execute(
        """
        SELECT id, job_id, digest, content, pdf_sha256, supersedes, reason, issued_utc
        FROM certificate WHERE job_id = :job_id ORDER BY id""",
        {"job_id": job_id},
    )
    return [CertificateRow(*row) for row in rows]


def certificate(conn: sqlite3.Connection, number: int) -> CertificateRow | None:
    """Return a certificate by its number, or None."""
    row = conn.execute(
        """
        SELECT id, job_id, digest, content, pdf_sha256, supersedes, reason, issued_utc
        FROM certificate WHERE id = :id""",
        {"id": number},
    ).fetchone()
    return CertificateRow(*row) if row else None


def pdf_of(conn: sqlite3.Connection, number: int) -> bytes | None:
    """Return a certificate's PDF, byte for byte as it was issued, or None."""
    row = conn.execute("SELECT pdf FROM certificate WHERE id = :id", {"id": number}).fetchone()
    return bytes(row[0]) if row else None


def superseded_by(conn: sqlite3.Connection, number: int) -> int | None:
    """Return the certificate that took the place of another, or None."""
    row = conn.execute("SELECT id FROM certificate WHERE supersedes = :id ORDER BY id LIMIT 1", {"id": number}).fetchone()
    return int(row[0]) if row else None
