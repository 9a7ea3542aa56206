"""Copies of the whole store: made while it is in use, verified, put back; one a day by itself.

Putting back never touches the store that is there before the new one has been looked at from end to end. What is then done is written down
first, so that a program that dies in the middle is finished by the next start; the old store is kept beside the new one.
"""

import json
import os
import re
import shutil
import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from calm_needle.clock import SYSTEM, Clock
from calm_needle.errors import Fault, FieldsRefused, FileRefused, StoreUnusable
from calm_needle.files import backup_file
from calm_needle.store import copies, db
from calm_needle.work.folder_lock import FolderLock
from calm_needle.work.whole_file import read_object, write_whole

FOLDER, KEPT = "copies", 14
LEFT_BEHIND_S = 3600.0
INCOMING, PLAN, BEFORE = "coming-back", "coming-back.json", "before-{}"
DAILY = "daily-{}.zip"
BESIDE = ("", "-wal", "-shm")  # the files of a database


class Made(NamedTuple):
    """A copy that lies in the data folder: its name, size in bytes, and when it was made."""

    name: str
    size: int
    made: str


class Verified(NamedTuple):
    """What a copy holds: when it was made, jobs, readings, photographs."""

    made_utc: str
    jobs: int
    readings: int
    photographs: int


def make(folder: Path, target: Path | None = None, *, clock: Clock = SYSTEM) -> Path:
    """Copy the store of a data folder, which may be in use, and return where. Raises StoreUnusable where there is no room."""
    target = target or folder / FOLDER / f"copy-{_stamp(clock)}.zip"
    beside = target.parent / f".{target.name}.{os.getpid()}.sqlite3"
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        _sweep(target.parent)
        _copy_database(folder / db.FILE_NAME, beside)
        backup_file.write(target, database=beside, photographs=_photographs(folder), made_utc=clock.text())
    except sqlite3.Error as fault:
        raise StoreUnusable(f"The store could not be copied: {fault}. Nothing was changed.") from fault
    except OSError as fault:
        why = f"The copy could not be written ({fault.strerror}). Make room, or choose another place; nothing was changed."
        raise StoreUnusable(why) from fault
    finally:
        for end in BESIDE:
            beside.with_name(beside.name + end).unlink(missing_ok=True)
    return target


def sweep(folder: Path) -> None:
    """Take away what copies of a data folder have left that died in the middle. At the start, when nothing is being copied."""
    _sweep(folder / FOLDER)


def _sweep(place: Path) -> None:
    """Take away what copies that died in the middle have left: what nobody has written to for an hour, or whose program no longer runs."""
    for left in place.glob(".*.zip.*"):
        try:
            if time.time() - left.stat().st_mtime > LEFT_BEHIND_S or not _runs(left.name):
                shutil.rmtree(left) if left.is_dir() else left.unlink(missing_ok=True)
        except OSError:
            continue  # gone meanwhile, or held by somebody: the next one takes it


def _runs(name: str) -> bool:
    """Whether the program runs that has left a file of this name, which bears its number; where that cannot be told, it does."""
    number = name.split(".")[-2] if name.count(".") > 1 else ""
    if os.name == "nt" or not number.isdigit():
        return True
    try:
        os.kill(int(number), 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


def _copy_database(source: Path, target: Path) -> None:
    """Copy a database as it is at one moment, readers and writers going on meanwhile."""
    if not source.is_file():
        raise StoreUnusable(f"There is no store in {source.parent}: nothing to copy.")
    copies.copy(source, target)


def _photographs(folder: Path) -> Iterator[tuple[str, Path]]:
    for path in sorted((folder / "photographs").glob("??/*.jpg")):
        name = f"photographs/{path.parent.name}/{path.name}"
        if backup_file.PHOTOGRAPH.fullmatch(name):
            yield name, path


def verify(file: Path, *, into: Path | None = None) -> Verified:
    """Look at a copy from end to end: its files, its database, what that refers to. Raises FileRefused with all faults, StoreUnusable."""
    with _scratch(file, into) as place:
        try:
            copy = backup_file.read(file, into=place)
        except OSError as fault:
            why = f"There is no room to look at the copy ({fault.strerror}). Make room, or take it to another disk; nothing was changed."
            raise StoreUnusable(why) from fault
        return _look_at(file.name, place / backup_file.DATABASE, copy)


@contextmanager
def _scratch(file: Path, into: Path | None) -> Iterator[Path]:
    if into is not None:
        yield into
        return
    place = file.parent / f".{file.name}.{os.getpid()}.look"
    shutil.rmtree(place, ignore_errors=True)
    try:
        place.mkdir(parents=True)
    except OSError as fault:
        raise FileRefused(file.name, [Fault("", f"there is no room beside it to look at it ({fault.strerror})")]) from None
    try:
        yield place
    finally:
        shutil.rmtree(place, ignore_errors=True)


def _look_at(name: str, database: Path, copy: backup_file.Copy) -> Verified:
    def refused(*words: str) -> FileRefused:
        return FileRefused(name, [Fault(backup_file.DATABASE, w) for w in words])

    newest = db.migrations()[-1][0]
    try:
        found = copies.look_at(database, newest=newest)
    except sqlite3.Error as fault:
        raise refused(f"it cannot be used, for it is damaged or no database at all: {fault}") from None
    if found.version > newest:
        raise refused(f"it is of a newer Calm Needle ({found.version}; this one knows {newest})")
    if found.version < 1:
        raise refused("it is no store of this program")
    if found.damage:
        raise refused(*(f"it is damaged: {line}" for line in found.damage))
    if found.strange:
        raise refused(*found.strange)
    if found.strays:
        raise refused(*(f"a row of {table} refers to one of {other} that is not there" for table, other in found.strays))
    return Verified(copy.made_utc, found.jobs, found.readings, len(found.photographs))


def restore(folder: Path, file: Path, *, clock: Clock = SYSTEM) -> Verified:
    """Put a copy back into a data folder that no running program holds; the store that was there is kept beside it.

    Raises FileRefused, StoreUnusable; the store that is there is untouched then.
    """
    folder.mkdir(parents=True, exist_ok=True)
    lock = FolderLock(folder)
    try:
        finish(folder)
        incoming = folder / INCOMING
        shutil.rmtree(incoming, ignore_errors=True)
        try:
            incoming.mkdir()
            found = verify(file, into=incoming)
            # From here on it happens, whoever dies.
            write_whole(folder / PLAN, json.dumps({"before": BEFORE.format(_stamp(clock))}))
        except OSError as fault:
            raise StoreUnusable(f"There is no room to put the copy back ({fault.strerror}). Nothing was changed.") from fault
        finally:
            if not (folder / PLAN).exists():
                shutil.rmtree(incoming, ignore_errors=True)
        finish(folder)
        return found
    finally:
        lock.close()


def finish(folder: Path) -> bool:
    """Finish what a restore has begun and not ended; return whether there was one. Each step may be done twice."""
    plan, incoming = folder / PLAN, folder / INCOMING
    if not plan.exists():
        shutil.rmtree(incoming, ignore_errors=True)  # of one that never came so far
        return False
    kept = folder / _kept_as(plan)
    kept.mkdir(exist_ok=True)
    new = incoming / backup_file.DATABASE
    if new.exists():
        for end in BESIDE[::-1]:
            old = folder / (db.FILE_NAME + end)
            if old.exists():
                old.replace(kept / old.name)
        for path in sorted((incoming / "photographs").glob("??/*.jpg")):
            place = folder / "photographs" / path.parent.name / path.name
            place.parent.mkdir(parents=True, exist_ok=True)
            path.replace(place)
        new.replace(folder / db.FILE_NAME)
    shutil.rmtree(incoming, ignore_errors=True)
    plan.unlink()
    return True


def _kept_as(plan: Path) -> str:
    """What the store that was there is kept as, by the plan; under a name of its own where a damaged plan does not say it."""
    before = read_object(plan).get("before")
    return before if isinstance(before, str) and re.fullmatch(BEFORE.format(r"[0-9-]{1,40}"), before) else BEFORE.format("unnamed")


def listed(folder: Path) -> list[Made]:
    """Return the copies that lie in a data folder, the newest first."""
    found = [(p, p.stat()) for p in (folder / FOLDER).glob("*.zip")]
    found.sort(key=lambda f: -f[1].st_mtime)
    return [Made(p.name, s.st_size, datetime.fromtimestamp(s.st_mtime, UTC).strftime("%Y-%m-%d %H:%M")) for p, s in found]


def path_of(folder: Path, name: str) -> Path:
    """Return where a copy of a data folder lies, by the name that the list gives it. Raises FieldsRefused."""
    if name not in {made.name for made in listed(folder)}:
        raise FieldsRefused({"copy": "There is no such copy here."})
    return folder / FOLDER / name


def daily(folder: Path, *, clock: Clock = SYSTEM) -> Path | None:
    """Make the copy of the day unless there is one, and let go of the oldest of those beyond KEPT; return it if it was made."""
    target = folder / FOLDER / DAILY.format(clock.utc().date().isoformat())
    if target.exists() or not (folder / db.FILE_NAME).exists():
        return None
    make(folder, target, clock=clock)
    others = sorted(p for p in (folder / FOLDER).glob(DAILY.format("*")) if p != target)  # by a clock put back it may be the oldest
    for old in others[: max(0, len(others) - (KEPT - 1))]:
        old.unlink(missing_ok=True)
    return target


def _stamp(clock: Clock) -> str:
    return clock.utc().strftime("%Y-%m-%d-%H%M%S")
