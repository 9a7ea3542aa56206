"""A copy of a whole store in one file: a ZIP of the database, the photographs, and a list of both with their digests.

Read back with suspicion: only names that belong there, only as long as the list says, only with the digests that it names.
"""

import errno
import hashlib
import json
import os
import re
import shutil
import struct
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from calm_needle.core.doubled import first_doubled
from calm_needle.errors import Fault, FileRefused

FORMAT, VERSION = "calm-needle/backup", 1
LIST, DATABASE = "list.json", "calm-needle.sqlite3"
PHOTOGRAPH = re.compile(r"photographs/([0-9a-f]{2})/(\1[0-9a-f]{62})(-small)?\.jpg")
LARGEST_LIST, LARGEST_BYTES = 50_000_000, 40_000_000_000
CHUNK = 1 << 20
MOST_FAULTS = 20
# What zipfile raises for a damaged file, not all of its own kind: a seek before the start, an encrypted member, a field cut short.
DAMAGED = (zipfile.BadZipFile, zlib.error, struct.error, EOFError, OSError, RuntimeError, NotImplementedError, ValueError)


class Copy(NamedTuple):
    """What a copy says of itself: when it was made, and its files with sizes and digests."""

    made_utc: str
    files: dict[str, tuple[int, str]]


def write(target: Path, *, database: Path, photographs: Iterable[tuple[str, Path]], made_utc: str) -> None:
    """Write a copy beside the place and then into it, on the disk before it has its name. Raises OSError.

    photographs: the name of each within the copy, and where it lies.
    """
    fresh = target.with_name(f".{target.name}.{os.getpid()}.part")
    try:
        files: dict[str, tuple[int, str]] = {}
        with zipfile.ZipFile(fresh, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
            files[DATABASE] = _add(out, DATABASE, database)
            for name, path in photographs:
                if path.is_file():
                    out.write(path, name, zipfile.ZIP_STORED)  # JPEG does not shrink
                    files[name] = path.stat().st_size, _digest_of(path)
            listed = {"format": FORMAT, "version": VERSION, "made_utc": made_utc, "files": {n: list(f) for n, f in files.items()}}
            out.writestr(LIST, json.dumps(listed, indent=1))
        with fresh.open("rb+") as whole:
            os.fsync(whole.fileno())
        fresh.replace(target)
    finally:
        fresh.unlink(missing_ok=True)


def _add(out: zipfile.ZipFile, name: str, path: Path) -> tuple[int, str]:
    digest, size = hashlib.sha256(), 0
    with path.open("rb") as file, out.open(zipfile.ZipInfo(name), "w", force_zip64=True) as place:
        while block := file.read(CHUNK):
            digest.update(block)
            size += len(block)
            place.write(block)
    return size, digest.hexdigest()


def _digest_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def read(file: Path, *, into: Path | None = None) -> Copy:
    """Return what a copy holds, every byte of it looked at; put it into an empty folder too, if one is given.

    Raises FileRefused with all faults; what was put into the folder is then of no use. OSError where that folder cannot be written to.
    """
    faults: list[Fault] = []

    def fault(path: str, sentence: str) -> None:
        if len(faults) < MOST_FAULTS:
            faults.append(Fault(path, sentence))

    name = file.name
    with _reading(name):
        archive = zipfile.ZipFile(file)
    with archive:
        copy = _list(archive, name)
        names = [i.filename for i in archive.infolist() if i.filename != LIST]
        if (doubled := first_doubled(names)) is not None:
            fault(doubled[:80], "it stands there twice")
        for missing in sorted(copy.files.keys() - set(names)):
            fault(missing[:80], "it is listed and not there")
        for strange in sorted(set(names) - copy.files.keys()):
            fault(strange[:80], "it is there and not listed")
        if sum(size for size, _ in copy.files.values()) > LARGEST_BYTES:
            fault("", f"it unpacks to more than {LARGEST_BYTES // 10**9} GB")
        if faults:
            raise FileRefused(name, faults)
        if into and (free := shutil.disk_usage(into).free) < (size := sum(size for size, _ in copy.files.values())):
            raise OSError(errno.ENOSPC, f"it unpacks to {size / 1e9:.1f} GB, and {free / 1e9:.1f} GB are free")
        for listed, (size, digest) in copy.files.items():
            if said := _take(archive, name, listed, size, digest, into):
                fault(listed[:80], said)
    if faults:
        raise FileRefused(name, faults)
    return copy


@contextmanager
def _reading(name: str) -> Iterator[None]:
    """Around every touch of the archive and nothing else: what cannot be read is the file's fault; a full disk beside it is not."""
    try:
        yield
    except DAMAGED as trouble:
        why = f"it cannot be read as a copy: it is damaged, cut short, or another kind of file ({trouble})"
        raise FileRefused(name, [Fault("", why)]) from None


def _list(archive: zipfile.ZipFile, name: str) -> Copy:
    try:
        info = archive.getinfo(LIST)
    except KeyError:
        raise FileRefused(name, [Fault("", "it is no copy of this program: it has no list")]) from None
    if info.file_size > LARGEST_LIST:
        raise FileRefused(name, [Fault(LIST, "it is longer than any list of a copy")])
    try:
        with _reading(name):
            text = archive.read(LIST)
        data = json.loads(text, object_pairs_hook=_no_doubles)
        version = data["version"]
        files = {str(n): (_size(size), _digest(digest)) for n, (size, digest) in data["files"].items()}
        made = str(data["made_utc"])
        ours = data["format"] == FORMAT
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise FileRefused(name, [Fault(LIST, "it is no list of a copy")]) from None
    if not ours:
        raise FileRefused(name, [Fault(LIST, f"its format is not {FORMAT}")])
    if version != VERSION:
        raise FileRefused(name, [Fault(LIST, f"it is of version {version}; this program reads {VERSION}. Use the newer program")])
    if DATABASE not in files:
        raise FileRefused(name, [Fault(LIST, "there is no database in it")])
    strange = [n for n in files if n != DATABASE and not PHOTOGRAPH.fullmatch(n)]
    if strange:
        raise FileRefused(name, [Fault(n[:80], "nothing of that name belongs in a copy") for n in strange[:MOST_FAULTS]])
    return Copy(made, files)


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if first_doubled(n for n, _ in pairs) is not None:
        raise ValueError("a name stands twice in it")
    return dict(pairs)


def _size(size: Any) -> int:
    """A size as a list holds it: a whole number of bytes. Raises ValueError."""
    if type(size) is not int or not 0 <= size <= LARGEST_BYTES:
        raise ValueError("no size of a file")
    return size


def _digest(digest: Any) -> str:
    if not isinstance(digest, str) or not re.fullmatch("[0-9a-f]{64}", digest):
        raise ValueError("no digest")
    return digest


def _take(archive: zipfile.ZipFile, name: str, listed: str, size: int, digest: str, into: Path | None) -> str:
    """Read one file of a copy, to its end and no further than its list says; what is wrong with it, or nothing."""
    found, read_bytes = hashlib.sha256(), 0
    place = into / listed if into else None
    if place:
        place.parent.mkdir(parents=True, exist_ok=True)
    with _reading(name):
        file = archive.open(listed)
    with file:
        out = place.open("wb") if place else None
        try:
            while True:
                with _reading(name):
                    block = file.read(CHUNK)
                if not block:
                    break
                read_bytes += len(block)
                if read_bytes > size:
                    return "it is longer than its list says"
                found.update(block)
                if out:
                    out.write(block)
            if out:
                out.flush()
                os.fsync(out.fileno())
        finally:
            if out:
                out.close()
    if read_bytes != size:
        return "it is shorter than its list says"
    if found.hexdigest() != digest:
        return "it does not have its digest: it was changed"
    named = PHOTOGRAPH.fullmatch(listed)
    other = named is not None and not named[3] and named[2] != digest
    return "it is not the photograph that its name says" if other else ""
