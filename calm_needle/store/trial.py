"""A copy of a store in which something is tried, while whoever works with the store goes on reading and writing it."""

import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from calm_needle.store import db

MOST_IN_MEMORY = 128 * 2**20  # bytes; a larger store is copied beside it on the disk


@contextmanager
def trial(conn: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """Yield a copy of a connection's database as it is now; what is written to it is thrown away. Holds no lock of the store meanwhile.

    Not within a transaction. Raises sqlite3.Error where the disk has no room for it.
    """
    pages, size = (int(conn.execute("PRAGMA page_count").fetchone()[0]), int(conn.execute("PRAGMA page_size").fetchone()[0]))
    with tempfile.TemporaryDirectory(prefix="calm-needle-trial-") as folder:
        place = ":memory:" if pages * size <= MOST_IN_MEMORY else str(Path(folder) / "trial.sqlite3")
        copy = sqlite3.connect(place, isolation_level=None, check_same_thread=False, factory=db.Connection)
        with closing(copy):
            copy.clock = conn.clock if isinstance(conn, db.Connection) else copy.clock
            conn.backup(copy)
            copy.execute("PRAGMA journal_mode = MEMORY")
            copy.execute("PRAGMA synchronous = OFF")
            copy.execute("PRAGMA foreign_keys = ON")
            yield copy
