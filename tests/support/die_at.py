"""Do one deed on a data folder, in a process of its own, and die in the middle of it, as when the mains go.

At which call, of Python or of C, the process kills itself is given; 0 lets it live, and how many there were is told.
"""

import os
import signal
import sys
from collections.abc import Callable
from contextlib import closing
from multiprocessing.queues import SimpleQueue
from pathlib import Path
from types import FrameType
from typing import Any

from calm_needle.store import db
from calm_needle.work import backup
from calm_needle.work.jobs import job_files
from calm_needle.work.record import certificate

TYPED_JOB = 3


def take_in(folder: Path, file: Path) -> None:
    with closing(db.connect(folder / db.FILE_NAME)) as conn:
        job_files.take_in(conn, folder / "photographs", file.read_bytes(), name=file.name)


def issue(folder: Path, _: Path) -> None:
    with closing(db.connect(folder / db.FILE_NAME)) as conn:
        certificate.issue(conn, TYPED_JOB, {"reason": "for the open day"})


def put_back(folder: Path, file: Path) -> None:
    backup.restore(folder, file)


def copy(folder: Path, file: Path) -> None:
    backup.make(folder, file)


DEEDS: dict[str, Callable[[Path, Path], None]] = {"import": take_in, "certificate": issue, "restore": put_back, "backup": copy}


def main(at: int, deed: str, folder: Path, file: Path, counted: SimpleQueue[int]) -> None:
    """counted: gets how many calls there were."""
    calls = 0

    def count(_: FrameType, event: str, __: Any) -> None:
        nonlocal calls
        if event in ("call", "c_call"):
            calls += 1
            if calls == at:
                os.kill(os.getpid(), signal.SIGKILL)

    sys.setprofile(count)
    DEEDS[deed](folder, file)
    sys.setprofile(None)
    counted.put(calls)
