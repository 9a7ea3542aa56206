"""Photographs taken in from outside: looked at hard, decoded, made anew as JPEG, and kept under the name of what is in them.

Nothing of the file that came in is kept: no metadata, no trailing bytes, no format of its choosing. A file that could be read as
something else as well is refused even so, for whoever sent it meant more than a picture.
"""

import hashlib
import io
import os
import re
import secrets
import threading
import warnings
from pathlib import Path
from typing import NamedTuple

from PIL import Image, ImageOps, UnidentifiedImageError

from calm_needle.errors import Fault, FileRefused

LARGEST_BYTES = 15_000_000
MOST_PIXELS = 89_000_000  # as written in the file; a JPEG unpacks itself smaller
MOST_BYTES = 250_000_000  # of memory for one picture: decoded, turned, and put on paper
BYTES_A_PIXEL, COPIES = 4, 3
MOST_DECODED = MOST_BYTES // (BYTES_A_PIXEL * COPIES)  # pixels that stand in memory at once
LONGEST_SIDE = 2400  # px, as kept: a tag number is readable, sixty of them are some 40 MB
SMALL_SIDE = 360
JPEG_QUALITY = 86
FORMATS = {"JPEG": (".jpg", ".jpeg"), "PNG": (".png",), "WEBP": (".webp",)}
ACTIVE = re.compile(rb"<script|<html|<svg|<!doctype|<\?php|%PDF-", re.IGNORECASE)
ARCHIVE = b"PK\x03\x04"
NAME = re.compile(r"^[0-9a-f]{64}$")


_one_at_a_time = threading.Lock()  # pictures unpacked at once add up


class Taken(NamedTuple):
    """A photograph made anew: its JPEG, a small one for lists, the digest of the JPEG, and its size in pixels."""

    jpeg: bytes
    small: bytes
    sha256: str
    width: int
    height: int


def take_in(content: bytes, *, name: str) -> Taken:
    """Return a photograph made anew from a JPEG, PNG or WebP file. Raises FileRefused with the reason; nothing is kept then."""
    shown = name[-60:] or "the picture"
    if not content:
        raise _refused(shown, "it is empty")
    if len(content) > LARGEST_BYTES:
        raise _refused(shown, f"it has {len(content) / 1e6:.0f} MB; at most {LARGEST_BYTES / 1e6:.0f} are taken in")
    kind = _kind(content, shown)
    if Path(name).suffix.lower() not in FORMATS[kind]:
        raise _refused(shown, f"what is in it is {kind}, and its name says otherwise; name it {FORMATS[kind][0]}, or see what it is")
    _only_a_picture(content, kind, shown)
    with _one_at_a_time:
        return _made_anew(content, kind, shown)


def _made_anew(content: bytes, kind: str, shown: str) -> Taken:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(content), formats=(kind,)) as image:
                width, height = image.size
                if width * height > MOST_PIXELS:
                    raise _refused(shown, f"it has {width * height / 1e6:.0f} million pixels; at most {MOST_PIXELS / 1e6:.0f} are taken in")
                image.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))  # a JPEG decodes itself smaller, in a tenth of the time
                width, height = image.size
                if width * height > MOST_DECODED:
                    raise _refused(
                        shown,
                        f"it would take {width * height / 1e6:.0f} million pixels of memory; at most {MOST_DECODED / 1e6:.0f} are unpacked "
                        "at once. Save it smaller, or as JPEG",
                    )
                image.load()
                upright = ImageOps.exif_transpose(image)
                plain = _on_paper(upright)
    except FileRefused:
        raise
    except (Image.DecompressionBombError, Image.DecompressionBombWarning):
        raise _refused(shown, f"it unpacks to more than {MOST_PIXELS / 1e6:.0f} million pixels") from None
    except (OSError, ValueError, SyntaxError, EOFError, UnidentifiedImageError, MemoryError):
        raise _refused(shown, "it is damaged or not whole; take the picture again, or save it anew") from None
    plain.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    jpeg = _jpeg(plain)
    kept_width, kept_height = plain.size
    plain.thumbnail((SMALL_SIDE, SMALL_SIDE))
    return Taken(jpeg, _jpeg(plain), hashlib.sha256(jpeg).hexdigest(), kept_width, kept_height)


def take_back(content: bytes, *, sha256: str) -> Taken:
    """Return a photograph that was once made anew here, as it is: a JPEG with that digest and nothing else in it. Raises FileRefused."""
    shown = sha256[:12]
    if hashlib.sha256(content).hexdigest() != sha256 or _kind(content, shown) != "JPEG":
        raise _refused(shown, "it is not the JPEG that its digest names")
    _only_a_picture(content, "JPEG", shown)
    with _one_at_a_time:
        again = _made_anew(content, "JPEG", shown)
        with Image.open(io.BytesIO(content), formats=("JPEG",)) as image:
            width, height = image.size
    return Taken(content, again.small, sha256, width, height)


def keep(folder: Path, taken: Taken) -> None:
    """Write a photograph and its small one under the digest of the photograph: beside, synchronised, then in its place. Raises OSError."""
    for small, content in ((False, taken.jpeg), (True, taken.small)):
        place = path_of(folder, taken.sha256, small=small)
        if place.exists():
            continue
        place.parent.mkdir(parents=True, exist_ok=True)
        fresh = place.with_suffix(f".{secrets.token_hex(4)}")
        try:
            with fresh.open("wb") as out:
                out.write(content)
                out.flush()
                os.fsync(out.fileno())
            fresh.replace(place)
        finally:
            fresh.unlink(missing_ok=True)


def path_of(folder: Path, sha256: str, *, small: bool) -> Path:
    """Return where a photograph lies. Raises ValueError for a name that is no digest."""
    if not NAME.fullmatch(sha256):
        raise ValueError("no digest")
    return folder / sha256[:2] / f"{sha256}{'-small' if small else ''}.jpg"


def _kind(content: bytes, shown: str) -> str:
    if content.startswith(b"\xff\xd8\xff"):
        return "JPEG"
    if content.startswith(b"\x89PNG\r\n\x1a\n"):
        return "PNG"
    if content[:4] == b"RIFF" and content[8:12] == b"WEBP":
        return "WEBP"
    if ACTIVE.search(content[:1024]):
        raise _refused(shown, "it is a page or drawing with a program in it, not a photograph; JPEG, PNG and WebP are taken in")
    raise _refused(shown, "it is not a JPEG, PNG or WebP picture")


def _only_a_picture(content: bytes, kind: str, shown: str) -> None:
    """Refuse a file that is a page, a program or an archive as well."""
    behind = content[_end_of(content, kind) :]
    if ACTIVE.search(content) or ARCHIVE in behind or behind.startswith(b"#!"):
        raise _refused(shown, "it holds something besides a picture, which a browser or an unpacker would run; take the picture anew")


def _end_of(content: bytes, kind: str) -> int:
    if kind == "JPEG":
        end = content.rfind(b"\xff\xd9")
        # The last end mark may itself stand in what was put behind; the first one after the scan is what counts for a short file.
        first = content.find(b"\xff\xd9", content.rfind(b"\xff\xda", 0, end if end > 0 else None))
        return (first if first >= 0 else end) + 2 if end >= 0 else len(content)
    if kind == "PNG":
        end = content.find(b"IEND")
        return end + 8 if end >= 0 else len(content)
    return 8 + int.from_bytes(content[4:8], "little")


def _on_paper(image: Image.Image) -> Image.Image:
    """Return it in plain colours, what was transparent on white, and nothing else of what came with it."""
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        clear = image.convert("RGBA")
        paper = Image.new("RGB", clear.size, "white")
        paper.paste(clear, mask=clear.getchannel("A"))
        return paper
    plain = Image.new("RGB", image.size)
    plain.paste(image.convert("RGB"))
    return plain


def _jpeg(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "JPEG", quality=JPEG_QUALITY, optimize=True, progressive=True)
    return out.getvalue()


def _refused(shown: str, why: str) -> FileRefused:
    return FileRefused(shown, [Fault("", why)])
