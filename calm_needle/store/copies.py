"""Copies of the database: made while it is in use, and looked at."""

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from calm_needle.store import db

MOST_SAID = 5


class Looked(NamedTuple):
    """What a database that may be damaged turned out to be: its version, what is wrong with its pages, rows that refer to nothing (table,
    table referred to), how many jobs and readings, digests of its photographs. After the version, nothing is looked at in one that is
    of another program or a newer one."""

    version: int
    damage: list[str]
    strays: list[tuple[str, str]]
    jobs: int
    readings: int
    photographs: set[str]


def copy(source: Path, target: Path) -> None:
    """Copy a database as it is at one moment, readers and writers going on meanwhile. Raises sqlite3.Error."""
    read_only = f"{source.as_uri()}?mode=ro"
    with closing(sqlite3.connect(read_only, uri=True, timeout=db.BUSY_S)) as before, closing(sqlite3.connect(target)) as after:
        before.backup(after)  # all in one step: a store that is written to is not begun anew over and over
        after.execute("PRAGMA journal_mode = DELETE")


def look_at(database: Path, *, newest: int) -> Looked:
    """Look at a database from end to end. Raises sqlite3.Error for what is none."""
    with closing(sqlite3.connect(database)) as conn:
        version = int(conn.execute("PRAGMA user_version").fetchone()[0])
        if not 1 <= version <= newest:
            return Looked(version, [], [], 0, 0, set())
        damage = [str(row[0]) for row in conn.execute("PRAGMA quick_check(5)")]
        if damage != ["ok"]:
            return Looked(version, damage, [], 0, 0, set())
        strays = [(str(row[0]), str(row[2])) for row in conn.execute("PRAGMA foreign_key_check").fetchmany(MOST_SAID)]
        jobs = int(conn.execute("SELECT count(*) FROM job").fetchone()[0])
        readings = int(conn.execute("SELECT count(*) FROM reading").fetchone()[0])
        shas = {str(row[0]) for row in conn.execute("SELECT sha256 FROM photograph")}
        return Looked(version, [], strays, jobs, readings, shas)
