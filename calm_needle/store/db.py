"""Connecting to the database, bringing it up to date, and writing more than one thing at once."""

import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import partial, wraps
from importlib import resources
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

from calm_needle.clock import SYSTEM, Clock, Lock
from calm_needle.errors import StoreUnusable
from calm_needle.store import old_runs

P = ParamSpec("P")
Value = TypeVar("Value")
Migration = Callable[[sqlite3.Connection], None]
OLDEST_SQLITE = (3, 37, 0)  # STRICT tables
BUSY_S = 5.0
REMEMBERED_S = 60.0
KEPT = 64
FILE_NAME = "calm-needle.sqlite3"


class Connection(sqlite3.Connection):
    """A connection that remembers what was worked out from the database, for as long as nothing is written to it; and the clock by which
    what it keeps is dated."""

    clock: Clock = SYSTEM
    known_at: tuple[int, ...] = ()
    known: dict[object, Any]

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.kept: dict[object, tuple[object, Any]] = {}


def remembered(work: Callable[Concatenate[sqlite3.Connection, P], Value]) -> Callable[Concatenate[sqlite3.Connection, P], Value]:
    """Work something out once for as long as the database is the same, and a minute at most: several parts of one page ask for it.

    What it returns is shared, so nobody may change it. Within a transaction nothing is remembered: it may be rolled back.
    """

    @wraps(work)
    def once(conn: sqlite3.Connection, /, *args: P.args, **kwargs: P.kwargs) -> Value:
        if not isinstance(conn, Connection) or conn.in_transaction:
            return work(conn, *args, **kwargs)
        state = (conn.total_changes, conn.execute("PRAGMA data_version").fetchone()[0], int(conn.clock.monotonic() // REMEMBERED_S))
        if state != conn.known_at:
            conn.known_at, conn.known = state, {}
        key = (work, args, tuple(sorted(kwargs.items())))
        if key not in conn.known:
            conn.known[key] = work(conn, *args, **kwargs)
        return cast(Value, conn.known[key])

    return once


def kept(conn: sqlite3.Connection, key: object, state: object, work: Callable[[], Value]) -> Value:
    """Return what work makes of a state of the database, worked out once for as long as that state is the same, whatever else is written.

    Of the last KEPT keys, on each connection. What it returns is shared, so nobody may change it. Nothing is kept within a transaction.
    """
    if not isinstance(conn, Connection) or conn.in_transaction:
        return work()
    have = conn.kept.pop(key, None)
    made = have[1] if have and have[0] == state else work()
    conn.kept[key] = state, made
    while len(conn.kept) > KEPT:
        conn.kept.pop(next(iter(conn.kept)))
    return cast(Value, made)


IN_MEMORY = Path(":memory:")  # a database that nobody keeps: for rehearsals


def connect(path: Path, *, clock: Clock = SYSTEM) -> sqlite3.Connection:
    """Return a connection to the database at `path`, made and brought up to date if need be.

    WAL with full synchronisation: what COMMIT has returned for is on the disk, also when the mains fails.
    May be used from any thread, by one at a time. Raises StoreUnusable.
    """
    if sqlite3.sqlite_version_info < OLDEST_SQLITE:
        raise StoreUnusable(f"This Python brings SQLite {sqlite3.sqlite_version}; 3.37 or newer is needed. Use a newer Python.")
    if path.exists() and path.stat().st_size == 0:
        raise StoreUnusable(
            f"The database {path} is empty, without a single byte: something has cut it off. Nothing was changed. "
            "Restore it from a copy; or, to begin anew, move that file away first."
        )
    try:
        conn = sqlite3.connect(path, isolation_level=None, timeout=BUSY_S, check_same_thread=False, factory=Connection)
        conn.clock = clock
        conn.execute("PRAGMA journal_mode = WAL")
        conn.execute("PRAGMA synchronous = FULL")
        conn.execute("PRAGMA foreign_keys = ON")
        _migrate(conn)
    except sqlite3.DatabaseError as fault:
        raise StoreUnusable(f"The database {path} cannot be used: {fault}. Nothing was changed; restore it from a copy.") from fault
    return conn


class Disk:
    """Puts on the disk what one connection has committed, apart from committing: many commits may share one wait, and nobody who holds
    the connection waits. What is not settled may be lost when the mains fails, with all that came after it, and is shown to nobody.

    In WAL with NORMAL synchronisation a commit is appended to the log without a sync, and a checkpoint still syncs the log before it
    writes the database; so a sync of the log afterwards is what FULL does within the commit (https://www.sqlite.org/wal.html, 2.4).
    """

    def __init__(self, conn: sqlite3.Connection, *, lock: Lock) -> None:
        """lock: for the one who syncs."""
        conn.execute("PRAGMA synchronous = NORMAL")
        self._conn, self._lock = conn, lock
        file = next(str(row[2]) for row in conn.execute("PRAGMA database_list") if row[1] == "main")
        self._log = Path(f"{file}-wal") if file else None
        self._settled = conn.total_changes
        self._open: int | None = None

    def mark(self) -> int:
        """Return a mark for what has been committed. Only while nobody is in the middle of a transaction on the connection."""
        return self._conn.total_changes

    def settle(self, mark: int) -> None:
        """Return once what had been committed at that mark is on the disk. Raises StoreUnusable."""
        if self._settled >= mark:
            return
        with self._lock:
            if self._settled >= mark or self._log is None:
                return
            try:
                if self._open is None:
                    self._open = os.open(self._log, os.O_RDONLY)
                sync(self._open)
            except FileNotFoundError:
                pass  # the log was written into the database, which was synced
            except OSError as fault:
                raise StoreUnusable(
                    f"The disk does not take what was read ({fault.strerror}): it may be lost. See to the disk, then repeat it."
                ) from fault
            self._settled = mark

    def close(self) -> None:
        with self._lock:
            if self._open is not None:
                os.close(self._open)
                self._open = None


def sync(descriptor: int) -> None:
    """Wait until a file is on the disk; what a test may have take its time, or fail."""
    os.fsync(descriptor)


#: What the work at hand is called, where it may write; a page, a command, a copy sets it for those who have to wait for it.
doing: ContextVar[str] = ContextVar("doing", default="")
_writing: dict[int, str] = {}  # by connection, while a transaction of this program is open


def being_written() -> str:
    """Return what this program is writing just now, in words; empty where it writes nothing that has a name."""
    return "; ".join(dict.fromkeys(filter(None, list(_writing.values()))))


@contextmanager
def told_in_words() -> Iterator[None]:
    """Turn what the disk refuses into StoreUnusable: nothing was kept half, and it can be repeated once there is room."""
    try:
        yield
    except sqlite3.OperationalError as fault:
        said = str(fault)
        if "locked" in said or "busy" in said:
            if busy_with := being_written():
                raise StoreUnusable(
                    f"The store is being written to by {busy_with}, so this was not kept; everything kept before is whole. "
                    "Repeat it in some seconds."
                ) from fault
            raise StoreUnusable(
                "Another program holds the database, so this was not kept; everything kept before is whole. "
                "Close what else uses the data folder, then repeat it."
            ) from fault
        if "full" in said:
            raise StoreUnusable(
                "The disk is full, so this was not kept; everything kept before is whole. Make room, then repeat it."
            ) from fault
        if "readonly" in said or "disk I/O" in said or "unable to open" in said:
            raise StoreUnusable(
                f"The data folder cannot be written to ({said}), so this was not kept. See to its disk and its permissions, then repeat it."
            ) from fault
        raise


@contextmanager
def transaction(conn: sqlite3.Connection) -> Iterator[None]:
    """Write several things or none of them. Nested use joins the outer one."""
    if conn.in_transaction:
        yield
        return
    conn.execute("BEGIN IMMEDIATE")
    _writing[id(conn)] = doing.get()
    try:
        try:
            yield
        except BaseException:
            conn.execute("ROLLBACK")
            raise
        conn.execute("COMMIT")
    finally:
        _writing.pop(id(conn), None)


def migrations() -> list[tuple[int, Migration]]:
    """Return the migrations: their number and what brings a database from the number before to it, in order.

    Most are SQL scripts, each with its own BEGIN and COMMIT, for executescript would commit around it otherwise.
    """
    folder = resources.files("calm_needle.store").joinpath("schema")
    files = sorted((f for f in folder.iterdir() if f.name.endswith(".sql")), key=lambda f: f.name)
    scripts = [(int(f.name.split("_")[0]), partial(_run_script, script=f.read_text(encoding="utf-8"))) for f in files]
    return sorted([*scripts, (old_runs.NUMBER, old_runs.name_steps)], key=lambda m: m[0])


def at_version(version: int) -> sqlite3.Connection:
    """Return an empty database in memory as an earlier program of that version made it."""
    conn = sqlite3.connect(IN_MEMORY, isolation_level=None)
    for number, migrate in migrations():
        if number <= version:
            migrate(conn)
    return conn


def _run_script(conn: sqlite3.Connection, script: str) -> None:
    conn.executescript(script)


def _migrate(conn: sqlite3.Connection) -> None:
    version = conn.execute("PRAGMA user_version").fetchone()[0]
    steps = migrations()
    if version > steps[-1][0]:
        raise StoreUnusable(
            f"This data folder was last used by a newer Calm Needle (its database is at {version}, this program at {steps[-1][0]}). "
            "Use the newer program."
        )
    for number, migrate in steps:
        if number > version:
            try:
                migrate(conn)
            except sqlite3.OperationalError:
                if conn.in_transaction:
                    conn.execute("ROLLBACK")
                # Another process may have been quicker by a moment.
                if conn.execute("PRAGMA user_version").fetchone()[0] < number:
                    raise
