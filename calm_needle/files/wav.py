"""Recordings in: WAV of 8, 16, 24, 32 bits or float, any rate and number of channels; the first channel is taken."""

from __future__ import annotations

import io
import warnings
from pathlib import Path
from typing import TYPE_CHECKING

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.errors import Fault, FileRefused

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")


LARGEST_BYTES = 64_000_000
FULL_SCALE = {"int16": 2.0**15, "int32": 2.0**31, "int64": 2.0**63}


def read_wav(name: str) -> Recording:
    """Return the recording in a file. Raises FileRefused in words: not there, no WAV, truncated, empty, larger than 64 MB."""
    path = Path(name)
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise FileRefused(path.name, [Fault("", "is larger than 64 MB; a few seconds of the tone are enough")])
        return parse_wav(path.read_bytes(), name=path.name)
    except (OSError, ValueError) as fault:
        if isinstance(fault, FileRefused):
            raise
        raise FileRefused(path.name[:80], [Fault("", "is not there, or cannot be read")]) from None


def parse_wav(content: bytes, *, name: str) -> Recording:
    """Return the recording that bytes hold, samples scaled to -1..1. Raises FileRefused."""
    from scipy.io import wavfile  # slow to load

    if content[:4] not in (b"RIFF", b"RIFX", b"RF64") or content[8:12] != b"WAVE":
        raise FileRefused(name, [Fault("", "is not a WAV file; record it as WAV, uncompressed")])
    _refuse_truncated(content, name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", wavfile.WavFileWarning)  # chunks of tags that it skips
            rate, data = wavfile.read(io.BytesIO(content))
    except Exception as fault:  # scipy raises whatever the bytes lead it to
        raise FileRefused(name, [Fault("", f"is a WAV file that cannot be read ({str(fault)[:80] or type(fault).__name__})")]) from None
    first = np.asarray(data if data.ndim == 1 else data[:, 0])
    if first.size == 0 or rate <= 0:
        raise FileRefused(name, [Fault("", "holds no samples")])
    if first.dtype == np.uint8:
        samples = (first.astype(np.float64) - 128.0) / 128.0
    elif first.dtype.kind == "i":
        samples = first.astype(np.float64) / FULL_SCALE[first.dtype.name]
    else:
        samples = first.astype(np.float64)
    if not bool(np.isfinite(samples).all()):
        raise FileRefused(name, [Fault("", "holds samples that are no numbers")])
    return Recording(float(rate), samples, name)


def _refuse_truncated(content: bytes, name: str) -> None:
    """Walk the chunks: what the header promises must be there. A recorder that was stopped hard leaves such files."""
    order = "big" if content[:4] == b"RIFX" else "little"
    at = 12
    while at + 8 <= len(content):
        size = int.from_bytes(content[at + 4 : at + 8], order)  # type: ignore[arg-type]
        if content[at : at + 4] == b"data":
            have = len(content) - at - 8
            if size == 0 or have == 0:
                raise FileRefused(name, [Fault("", "holds no samples")])
            if have < size and size != 0xFFFFFFFF:
                raise FileRefused(name, [Fault("", f"is cut off: {have} of {size} bytes of sound are there. Copy it again")])
            return
        at += 8 + size + size % 2
    raise FileRefused(name, [Fault("", "is cut off, or holds no sound")])
