"""Copies of the database: made while it is in use, and looked at."""

import re
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from calm_needle.store import db

MOST_SAID = 5


class Looked(NamedTuple):
    """What a database that may be damaged turned out to be: its version, what is wrong with its pages, what of its tables and triggers is
    not as that version makes it, rows that refer to nothing (table, table referred to), how many jobs and readings, digests of its
    photographs. After the version, nothing is looked at in one that is of another program or a newer one."""

    version: int
    damage: list[str]
    strange: list[str]
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
            return Looked(version, [], [], [], 0, 0, set())
        # Its rules for values are looked at apart, in a third of the time that this would take for them.
        conn.execute("PRAGMA ignore_check_constraints = ON")
        damage = [str(row[0]) for row in conn.execute("PRAGMA quick_check(5)")]
        if damage != ["ok"]:
            return Looked(version, damage, [], [], 0, 0, set())
        with closing(db.at_version(version)) as ours:
            # Before a row is read: what a strange table is called says nothing of what is in it.
            if strange := _strange(conn, ours) or _broken_rules(conn, ours):
                return Looked(version, [], strange, [], 0, 0, set())
        strays = [(str(row[0]), str(row[2])) for row in conn.execute("PRAGMA foreign_key_check").fetchmany(MOST_SAID)]
        jobs = int(conn.execute("SELECT count(*) FROM job").fetchone()[0])
        readings = int(conn.execute("SELECT count(*) FROM reading").fetchone()[0])
        shas = {str(row[0]) for row in conn.execute("SELECT sha256 FROM photograph")}
        return Looked(version, [], [], strays, jobs, readings, shas)


def _strange(conn: sqlite3.Connection, ours: sqlite3.Connection) -> list[str]:
    """What of a database's tables, indexes, triggers and views is not as this program makes them at its version."""
    wanted, found = _schema(ours), _schema(conn)
    out = [f"there is a {kind} “{name[:40]}” that this program does not make" for kind, name in found.keys() - wanted.keys()]
    out += [f"its {kind} {name} is not there" for kind, name in wanted.keys() - found.keys()]
    both = wanted.keys() & found.keys()
    out += [f"its {kind} {name} is otherwise than this program makes it" for kind, name in both if found[kind, name] != wanted[kind, name]]
    return sorted(out)[:MOST_SAID]


def _schema(conn: sqlite3.Connection) -> dict[tuple[str, str], str]:
    """What makes each table, index, trigger and view: its statement but for white space; of a table, its columns."""
    rows = conn.execute("SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%'").fetchall()
    made = {(str(kind), str(name)): " ".join(str(sql or "").split()) for kind, name, sql in rows}
    for kind, name in made:
        if kind == "table":
            columns = conn.execute("SELECT name, type, [notnull], pk FROM pragma_table_info(:name)", {"name": name}).fetchall()
            made[kind, name] = repr([tuple(c) for c in columns])
    return made


def _broken_rules(conn: sqlite3.Connection, ours: sqlite3.Connection) -> list[str]:
    """The tables of a database in which a row breaks a rule for its values, by the rules that this program makes them with."""
    out = []
    for name, sql in ours.execute("SELECT name, sql FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'").fetchall():
        rules = [f"({rule})" for rule in _checks(str(sql))]
        if rules and conn.execute(f"SELECT 1 FROM [{name}] WHERE NOT ({' AND '.join(rules)}) LIMIT 1").fetchone():
            out.append(f"a row of {name} holds a value that this program never writes there")
    return out[:MOST_SAID]


def _checks(sql: str) -> list[str]:
    """The expressions of a statement's CHECK constraints. sql: of our own making, in which no text holds a bracket."""
    out = []
    for found in re.finditer(r"\bCHECK\s*\(", sql):
        depth, at = 1, found.end()
        while depth:
            depth += {"(": 1, ")": -1}.get(sql[at], 0)
            at += 1
        out.append(sql[found.end() : at - 1])
    return out
