"""Reading a certificate's PDF back: its number and digest, and the data that it carries. Any other file is refused in words."""

import io
import json
import logging
import re
from typing import Any, NamedTuple

from calm_needle.errors import Fault, FileRefused

LARGEST_BYTES = 20_000_000
DATA_NAME = "certificate.json"
KEYWORDS = re.compile(r"calm-needle-certificate no=(\d{1,9}) sha256=([0-9a-f]{64})")


class Carried(NamedTuple):
    """What a certificate's file says of itself: number, digest, and its data."""

    number: int
    digest: str
    data: dict[str, Any]


def keywords(number: int, digest: str) -> str:
    """Return what a certificate's file carries among its keywords."""
    return f"calm-needle-certificate no={number} sha256={digest}"


def read_certificate(content: bytes, *, name: str) -> Carried:
    """Return what a certificate says of itself. Raises FileRefused."""
    from pypdf import PdfReader  # slow to load
    from pypdf.errors import PyPdfError

    def refuse(sentence: str) -> FileRefused:
        return FileRefused(name, [Fault("", sentence)])

    logging.getLogger("pypdf").setLevel(logging.CRITICAL)  # what is wrong is said here, in words
    if len(content) > LARGEST_BYTES:
        raise refuse(f"it is {len(content)} bytes long; a certificate has at most {LARGEST_BYTES}")
    try:
        reader = PdfReader(io.BytesIO(content), strict=False)
        said = KEYWORDS.fullmatch(str(reader.metadata.get("/Keywords", "")) if reader.metadata else "")
        attached = {str(k): v for k, v in reader.attachments.items()} if said else {}
        data = json.loads(attached[DATA_NAME][0]) if DATA_NAME in attached else None
    except (PyPdfError, ValueError, KeyError, IndexError, TypeError, AttributeError, RecursionError, OSError) as fault:
        raise refuse(f"it cannot be read as a PDF ({type(fault).__name__})") from None
    if not said:
        raise refuse("it is no certificate of this program: it carries neither number nor digest")
    if not isinstance(data, dict):
        raise refuse("it carries no data of its own, or not all of it")
    return Carried(int(said[1]), said[2], data)
