"""One program on a data folder: who comes second is told who holds it. Let go by the system when its holder ends, however it ends."""

import os
import sys
from pathlib import Path
from typing import IO

from calm_needle.errors import StoreUnusable

FILE_NAME = "in-use"


class FolderLock:
    """Holds a data folder from the time it is made until it is closed. Raises StoreUnusable when somebody else does."""

    def __init__(self, folder: Path) -> None:
        self._file: IO[str] | None = (folder / FILE_NAME).open("a+", encoding="utf-8")
        try:
            _hold(self._file)
        except OSError:
            self._file.seek(0)
            holder = self._file.read(200).strip() or "another Calm Needle"
            self._file.close()
            self._file = None
            raise StoreUnusable(
                f"The data folder {folder} is in use by {holder}. Nothing was changed. Go to its page, or end it first; "
                "or choose another folder with --data."
            ) from None
        self.say(f"process {os.getpid()}")

    def say(self, holder: str) -> None:
        """Write who holds the folder, for whoever comes second."""
        if self._file:
            self._file.seek(0)
            self._file.truncate()
            self._file.write(holder)
            self._file.flush()

    def close(self) -> None:
        """Let go."""
        if self._file:
            self._file.close()
            self._file = None


if sys.platform == "win32":
    import msvcrt

    def _hold(file: IO[str]) -> None:
        # A byte far behind the words: a locked byte cannot be read by others.
        file.seek(1_000_000)
        msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
else:
    import fcntl

    def _hold(file: IO[str]) -> None:
        fcntl.flock(file.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
