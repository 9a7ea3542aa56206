"""Files that were looked at and are held until somebody says that they are to be taken in."""

import hashlib
import re
import sqlite3
from pathlib import Path

from calm_needle.errors import FieldsRefused, FileRefused, StoreUnusable
from calm_needle.work.jobs import job_files

FOLDER, MOST_HELD = "incoming", 3
DIGEST = re.compile(r"[0-9a-f]{64}")


def hold(folder: Path, content: bytes, *, suffix: str = "json") -> str:
    """Hold a file that was looked at, and return the digest by which it is asked for. Raises StoreUnusable."""
    place = folder / FOLDER
    digest = hashlib.sha256(content).hexdigest()
    try:
        place.mkdir(exist_ok=True)
        older = sorted(place.glob("*.*"), key=lambda p: p.stat().st_mtime)
        for old in older[: max(0, len(older) + 1 - MOST_HELD)]:
            old.unlink(missing_ok=True)
        fresh = place / f"{digest}.part"
        fresh.write_bytes(content)
        fresh.replace(place / f"{digest}.{suffix}")
    except OSError as fault:
        raise StoreUnusable(f"The file could not be held ({fault.strerror}). Make room, then bring it again.") from fault
    return digest


def held(folder: Path, digest: str, *, suffix: str) -> bytes:
    """Return a file that is held. Raises FieldsRefused where it no longer is."""
    path = folder / FOLDER / f"{digest}.{suffix}"
    if not DIGEST.fullmatch(digest) or not path.is_file():
        raise FieldsRefused({"table": "It is no longer held here: bring the file once more."})
    return path.read_bytes()


def let_go(folder: Path, digest: str, *, suffix: str) -> None:
    """Let go of a file that was taken in."""
    if DIGEST.fullmatch(digest):
        (folder / FOLDER / f"{digest}.{suffix}").unlink(missing_ok=True)


def take_in(conn: sqlite3.Connection, folder: Path, photographs: Path, form: dict[str, str]) -> int:
    """Take in a job's file that is held (held, name), and return the job's id. Raises FieldsRefused: it is refused whole then."""
    digest = form.get("held", "")
    path = folder / FOLDER / f"{digest}.json"
    if not DIGEST.fullmatch(digest) or not path.is_file():
        raise FieldsRefused({"job": "It is no longer held here: bring the file once more."})
    content = path.read_bytes()
    try:
        job_id = job_files.take_in(conn, photographs, content, name=form.get("name", "the file")[:80] or "the file")
    except FileRefused as refused:
        raise FieldsRefused({"job": str(refused)}) from None
    path.unlink(missing_ok=True)
    return job_id
