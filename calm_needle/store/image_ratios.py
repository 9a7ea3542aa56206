"""How well a set keeps its image out, band by band: levels of equal output."""

import sqlite3
from typing import NamedTuple


class ImageRatioRow(NamedTuple):
    band: str
    dial_hz: float
    signal_v: float
    image_v: float | None
    most_v: float
    how: str
    at_utc: str


def add_image_ratio(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    band: str,
    dial_hz: float,
    signal_v: float,
    image_v: float | None,
    most_v: float,
    how: str,
    at_utc: str,
) -> None:
    """Keep one measurement; image_v None where not even most_v was heard."""
    conn.execute(
        """
        INSERT INTO image_ratio (job_id, band, dial_hz, signal_v, image_v, most_v, how, at_utc)
        VALUES (:job_id, :band, :dial_hz, :signal_v, :image_v, :most_v, :how, :at_utc)""",
        {
            "job_id": job_id,
            "band": band,
            "dial_hz": dial_hz,
            "signal_v": signal_v,
            "image_v": image_v,
            "most_v": most_v,
            "how": how,
            "at_utc": at_utc,
        },
    )


def image_ratios(conn: sqlite3.Connection, job_id: int) -> dict[str, list[ImageRatioRow]]:
    """Return the measurements of a job by band, each band's oldest first."""
    rows = conn.execute(
        "SELECT band, dial_hz, signal_v, image_v, most_v, how, at_utc FROM image_ratio WHERE job_id = :job_id ORDER BY id",
        {"job_id": job_id},
    )
    out: dict[str, list[ImageRatioRow]] = {}
    for row in rows:
        out.setdefault(row[0], []).append(ImageRatioRow(*row))
    return out
