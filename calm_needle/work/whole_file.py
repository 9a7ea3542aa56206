"""Small files that must never be half written: beside, synchronised, then put in the place of the old one."""

import json
import os
import secrets
from pathlib import Path
from typing import Any


def write_whole(path: Path, text: str, *, mode: int = 0o644) -> None:
    """Write a file whole or not at all; when this returns it is on the disk. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_name(f"{path.name}.{secrets.token_hex(4)}")
    try:
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "w", encoding="utf-8") as out:
            out.write(text)
            out.flush()
            os.fsync(out.fileno())
        fresh.replace(path)
    finally:
        fresh.unlink(missing_ok=True)


def read_text(path: Path) -> str | None:
    """Return what a file holds; None when there is none, or it cannot be read."""
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, ValueError):
        return None


def read_object(path: Path) -> dict[str, Any]:
    """Return the JSON object that a file holds; an empty one when there is none, or it is something else."""
    try:
        data = json.loads(read_text(path) or "{}")
    except (ValueError, RecursionError):
        return {}
    return data if isinstance(data, dict) else {}
