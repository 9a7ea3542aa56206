"""Sound as a file holds it."""

import io
import math

import numpy as np
from scipy.io import wavfile


def tone() -> bytes:
    """Half a second of a tone of 1000.3 Hz and its second harmonic, 40 dB down."""
    t = np.arange(24000) / 48000.0
    return wav(0.4 * np.sin(2 * math.pi * 1000.3 * t) + 0.004 * np.sin(2 * math.pi * 2000.6 * t), rate_hz=48000)


def wav(samples: np.ndarray, *, rate_hz: int) -> bytes:
    """Samples (full scale 1) as a WAV of 16 bits."""
    out = io.BytesIO()
    wavfile.write(out, rate_hz, (32767 * samples).astype(np.int16))
    return out.getvalue()
