"""A tone in a recording: IEEE 1057 four-parameter sine fit; SINAD and distortion from what the fit leaves.

IEEE Std 1057-2017, Standard for digitizing waveform recorders, annex B: A cos wt + B sin wt + C fitted by least squares, the frequency
corrected from the residual's correlation with t(-A sin wt + B cos wt), until it stands still.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


MOST_SAMPLES = 1_000_000  # twenty seconds at 48 kHz; a longer recording is judged by its middle
FEWEST_PERIODS = 3.0
ROUNDS = 30
HARMONICS = 10
EDGE_PERIODS = 2.0  # of the record, between a harmonic and half the rate
# A clipped wave stands at its peak for several samples on end; a sine at full scale only touches it.
FLAT, FLAT_RUN, CLIPPED_SHARE = 1e-5, 4, 2e-3


@dataclass(frozen=True)
class Recording:
    """One channel of sound: samples between -1 and 1, and how many a second."""

    rate_hz: float
    samples: Floats
    name: str = "recording"

    def __str__(self) -> str:
        return self.name


class Sine(NamedTuple):
    """Amplitude, frequency (Hz), phase (rad, of a cosine), offset; what the fit leaves (r.m.s.)."""

    amplitude: float
    frequency_hz: float
    phase_rad: float
    offset: float
    residual: float


class Sinad(NamedTuple):
    """Signal with noise and distortion to noise and distortion (dB), the tone (Hz), harmonics up to the tenth (% of the tone)."""

    sinad_db: float
    tone_hz: float
    distortion_percent: float


def fit_sine(*, samples: Floats, rate_hz: float, start_hz: float, sure: float = 1e-10) -> Sine:
    """Return the sine that fits samples best, begun at start_hz (within a tenth of a period over the record). sure: the share of its
    frequency that the last round may still have changed."""
    n = len(samples)
    t = (np.arange(n) - (n - 1) / 2.0) / rate_hz  # centred: frequency and phase are then least entangled
    w = 2.0 * math.pi * start_hz
    a = b = c = 0.0
    for _ in range(ROUNDS):
        cosine, sine = np.cos(w * t), np.sin(w * t)
        columns = [cosine, sine, np.ones(n)]
        if a or b:
            columns.append(t * (b * cosine - a * sine))
        found = least_squares(np.column_stack(columns), samples)
        a, b, c = (float(x) for x in found[:3])
        if len(found) == 4:
            change = float(found[3])
            w += change
            if abs(change) < sure * w:
                break
    left = samples - (a * np.cos(w * t) + b * np.sin(w * t) + c)
    return Sine(math.hypot(a, b), w / (2.0 * math.pi), math.atan2(-b, a), c, float(np.sqrt(np.mean(left * left))))


def least_squares(columns: Floats, samples: Floats) -> Floats:
    """Return the coefficients of the columns that fit samples best. By the normal equations: sines over some periods are nearly orthogonal,
    and a singular value decomposition takes ten times as long for the same digits."""
    try:
        return np.asarray(np.linalg.solve(columns.T @ columns, columns.T @ samples), dtype=np.float64)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.lstsq(columns, samples, rcond=None)[0], dtype=np.float64)


def overtones(angle: NDArray[np.floating[Any]], orders: Sequence[int]) -> list[Floats]:
    """Return cosine and sine of each multiple of an angle (rad), orders rising from 1: each from the one before by one multiplication."""
    first = np.exp(1j * np.asarray(angle))
    power, out, order = np.ones_like(first), [], 0
    for k in orders:
        while order < k:
            power = power * first
            order += 1
        out += [power.real.copy(), power.imag.copy()]
    return out


def sinad(*, recording: Recording, tone_hz: float | None = None) -> Sinad:
    """Return SINAD, tone and distortion of a recording; the strongest line is taken as the tone when none is given.

    Refused in words: silence, clipping, fewer than three periods of the tone, a tone above half the sampling rate.
    """
    x = recording.samples
    if len(x) > MOST_SAMPLES:
        start = (len(x) - MOST_SAMPLES) // 2
        x = x[start : start + MOST_SAMPLES]
    if len(x) < 32:
        raise NoAnswer(f"file: {len(x)} samples are too few to find a tone in.")
    x = x - float(x.mean())
    peak = float(np.abs(recording.samples).max())
    if peak < 1e-6 or float(np.sqrt(np.mean(x * x))) < 1e-7:
        raise NoAnswer("file: the recording is silent. See that the right input was recorded, and its level.")
    if peak >= 0.9999 and _flat_share(recording.samples, peak) > CLIPPED_SHARE:
        raise NoAnswer("file: the recording is clipped, which adds distortion of its own. Record it again at a lower level.")
    begin = tone_hz if tone_hz is not None else _strongest_hz(x, recording.rate_hz)
    if not begin < recording.rate_hz / 2.0:
        raise OutOfRange("tone_hz", shown=f"{begin:g} Hz", wanted=f"below half the sampling rate, {recording.rate_hz / 2.0:g} Hz")
    if begin * len(x) / recording.rate_hz < FEWEST_PERIODS:
        raise NoAnswer("file: it holds fewer than three periods of the tone. Record for longer.")
    tone = fit_sine(samples=x, rate_hz=recording.rate_hz, start_hz=_line_near_hz(x, recording.rate_hz, begin))
    signal, rest = tone.amplitude / math.sqrt(2.0), max(tone.residual, 1e-12)
    whole = math.hypot(signal, rest)
    return Sinad(20.0 * math.log10(whole / rest), tone.frequency_hz, 100.0 * _harmonics(x, recording.rate_hz, tone) / signal)


def _flat_share(x: Floats, peak: float) -> float:
    """The share of samples that stand at the peak, FLAT_RUN or more on end."""
    at = (np.abs(x) >= peak * (1.0 - FLAT)).astype(np.int64)
    runs = np.convolve(at, np.ones(FLAT_RUN, dtype=np.int64), "valid") == FLAT_RUN
    return float(runs.sum() + (FLAT_RUN - 1) * max(0, int(runs.any()))) / len(x)


def _spectrum(x: Floats) -> Floats:
    return np.abs(np.fft.rfft(x * np.hanning(len(x))))


def _strongest_hz(x: Floats, rate_hz: float) -> float:
    lines = _spectrum(x)
    lines[:2] = 0.0
    return _vertex(lines, int(np.argmax(lines))) * rate_hz / len(x)


def _line_near_hz(x: Floats, rate_hz: float, tone_hz: float) -> float:
    """The strongest line within 5 % of the tone asked for: nobody's oscillator is on its mark to the last digit."""
    lines = _spectrum(x)
    low, high = (int(tone_hz * s * len(x) / rate_hz) for s in (0.95, 1.05))
    window = lines[max(low, 1) : high + 2]
    if not len(window):
        return tone_hz
    return _vertex(lines, max(low, 1) + int(np.argmax(window))) * rate_hz / len(x)


def _vertex(lines: Floats, k: int) -> float:
    if not 0 < k < len(lines) - 1 or lines[k - 1] <= 0 or lines[k + 1] <= 0 or lines[k] <= 0:
        return float(k)
    a, b, c = (math.log(float(lines[k + d])) for d in (-1, 0, 1))
    return k + 0.5 * (a - c) / (a - 2.0 * b + c) if a - 2.0 * b + c else float(k)


def harmonics_below(tone_hz: float, *, rate_hz: float, samples: int) -> list[int]:
    """Return which harmonics to the tenth, the tone first, lie so far below half the rate that they can be fitted: one nearly at it, or at
    nothing, is seen by its cosine or its sine alone, and would be found of any size."""
    return [k for k in range(1, HARMONICS + 1) if k == 1 or k * tone_hz < rate_hz / 2.0 - EDGE_PERIODS * rate_hz / samples]


def _harmonics(x: Floats, rate_hz: float, tone: Sine) -> float:
    """The r.m.s. value of the harmonics from the second to the tenth that lie below half the sampling rate.

    Fitted together with the tone and the offset: over a record that does not end on a whole period they are not orthogonal, and a clean
    tone would leak into them.
    """
    n = len(x)
    t = (np.arange(n) - (n - 1) / 2.0) / rate_hz
    orders = harmonics_below(tone.frequency_hz, rate_hz=rate_hz, samples=n)
    found = least_squares(np.column_stack([*overtones(2.0 * math.pi * tone.frequency_hz * t, orders), np.ones(n)]), x)
    return float(np.sqrt(np.sum(found[2:-1] * found[2:-1]) / 2.0))
