"""The demo world, loaded once and copied for each test that wants it: loading takes as long as many a test."""

import tempfile
from functools import cache
from pathlib import Path

from calm_needle.store import db
from calm_needle.work import demo_world


@cache
def _content() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / db.FILE_NAME
        conn = db.connect(file)
        demo_world.load(conn)
        conn.close()  # the last connection to go writes the log into the file
        return file.read_bytes()


def copy_into(folder: Path) -> None:
    """Put the demo world's database into an empty data folder."""
    (folder / db.FILE_NAME).write_bytes(_content())
