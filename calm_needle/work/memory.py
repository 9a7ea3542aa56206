"""Memory that large requests leave behind, given back to the machine."""

import ctypes
import sys
from collections.abc import Callable
from functools import cache
from typing import Any

LARGE_BYTES = 1_000_000  # of a request or an answer, from which on it is worth it


def give_back() -> None:
    """Have the C library give back what it keeps for later: after a recording or a paper that is tens of megabytes, kept for ever else.

    A few milliseconds on Linux; nothing where the C library has no such call.
    """
    if trim := _trim():
        trim(0)


@cache
def _trim() -> Callable[[int], Any] | None:
    if not sys.platform.startswith("linux"):
        return None
    try:
        return ctypes.CDLL("libc.so.6").malloc_trim
    except (OSError, AttributeError):
        return None
