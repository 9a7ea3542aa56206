"""A tone in a recording: IEEE 1057 four-parameter sine fit; SINAD and distortion from what the fit leaves.

IEEE Std 1057-2017, Standard for digitizing waveform recorders, annex B: A cos wt + B sin wt + C fitted by least squares, the frequency
corrected from the residual's correlation with t(-A sin wt + B cos wt), until it converges. If the tone drifts, its
phase is fitted as a polynomial in time, and the amplitude over that phase.
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


MOST_SAMPLES = 500_000  # ten seconds at 48 kHz: a longer recording is judged by its middle
FEWEST_PERIODS = 3.0
ROUNDS = 30
HARMONICS = 10
EDGE_PERIODS = 2.0  # of the record, between a harmonic and half the rate
# A clipped wave stands at its peak for several samples on end; a sine at full scale only touches it.
FLAT, FLAT_RUN, CLIPPED_SHARE = 1e-5, 4, 2e-3
# Of the samples of a sine a fifth lie in the upper twentieth of its swing; of one that something clips, far more.
TOP, TOP_SHARE, TOP_QUANTILE = 0.95, 0.3, 0.995
STANDS_OUT, AROUND, ASIDE = 6.0, 60, 4  # times the median of so many lines either side, but for the nearest, that a tone must be
HUM_MAINS_HZ, HUM_ORDERS, HUM_WITHIN_HZ = (50.0, 60.0), 6, 1.5  # what is taken for hum where no tone was named
FOLLOWED_BLOCKS, FOLLOWED_FEWEST, FOLLOWED_ORDER, FOLLOWED_GAIN, FOLLOWED_ROUNDS = 64, 16, 6, 0.98, 4
BENDS_OF_NOISE = 0.2  # a phase that bends by less than so much of the noise beside the tone is not worth following


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
    """Signal with noise and distortion to noise and distortion (dB), the tone (Hz), harmonics up to the tenth (% of the tone; None where
    no tone stands out of the noise, which has none), by how much the tone drifted meanwhile (Hz), whether its tops are flat."""

    sinad_db: float
    tone_hz: float
    distortion_percent: float | None
    drift_hz: float = 0.0
    flat_tops: bool = False


class Followed(NamedTuple):
    """A tone, with its phase (rad) at each sample, and how far its frequency went meanwhile (Hz)."""

    sine: Sine
    angle: Floats
    drift_hz: float


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


class Analysed(NamedTuple):
    """A recording's samples that were judged, without their mean; the tone in them, followed; and their SINAD."""

    samples: Floats
    tone: Followed
    sinad: Sinad


def sinad(*, recording: Recording, tone_hz: float | None = None) -> Sinad:
    """Return SINAD, tone and distortion of a recording, as analysed() finds and refuses them."""
    return analysed(recording=recording, tone_hz=tone_hz).sinad


def middle(samples: Floats) -> Floats:
    """Return the middle of a long recording, or all of a shorter one, without its mean."""
    start = max(0, (len(samples) - MOST_SAMPLES) // 2)
    x = samples[start : start + MOST_SAMPLES]
    return x - float(x.mean()) if len(x) else x


def analysed(*, recording: Recording, tone_hz: float | None = None) -> Analysed:
    """Return the tone of a recording with what it is judged by; the strongest line that is no hum is the tone when none is given.

    Refused in words: silence, clipping, fewer than three periods of the tone, a tone above half the sampling rate; hum or noise alone
    where no tone is given.
    """
    x = middle(recording.samples)
    if len(x) < 32:
        raise NoAnswer(f"file: {len(x)} samples are too few to find a tone in.")
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
    start_hz = _line_near_hz(x, recording.rate_hz, begin)
    there = _stands_out(x, recording.rate_hz, start_hz)
    if not there and tone_hz is None:
        raise NoAnswer("file: no tone stands out of the noise. Name the tone, or record with the modulation on.")
    tone = follow(samples=x, rate_hz=recording.rate_hz, start_hz=start_hz)
    signal, rest = tone.sine.amplitude / math.sqrt(2.0), max(tone.sine.residual, 1e-12)
    whole = math.hypot(signal, rest)
    distortion = 100.0 * _harmonics(x, recording.rate_hz, tone) / signal if there else None
    flat = there and flat_tops(x)
    found = Sinad(20.0 * math.log10(whole / rest), tone.sine.frequency_hz, distortion, tone.drift_hz, flat)
    return Analysed(x, tone, found)


def follow(*, samples: Floats, rate_hz: float, start_hz: float) -> Followed:
    """Return the tone about start_hz (as fit_sine takes it), followed where it drifts."""
    tone = fit_sine(samples=samples, rate_hz=rate_hz, start_hz=start_hz)
    n = len(samples)
    t = (np.arange(n) - (n - 1) / 2.0) / rate_hz
    plain = np.asarray(2.0 * math.pi * tone.frequency_hz * t, dtype=np.float64)
    long = max(n // FOLLOWED_BLOCKS, math.ceil(FEWEST_PERIODS * rate_hz / tone.frequency_hz))
    blocks = n // long
    if blocks < FOLLOWED_FEWEST:
        return Followed(tone, plain, 0.0)
    mixed = (samples * np.exp(-1j * plain))[: blocks * long].reshape(blocks, long).mean(axis=1)
    at = t[: blocks * long].reshape(blocks, long).mean(axis=1) / t[-1]
    u = t / t[-1]
    phase = np.polynomial.Polynomial.fit(at, np.unwrap(np.angle(mixed)), FOLLOWED_ORDER, w=np.abs(mixed)).convert()
    if float(np.std(phase(at))) < BENDS_OF_NOISE * tone.residual / max(tone.amplitude, 1e-12):
        return Followed(tone, plain, 0.0)
    powers = np.vander(u, FOLLOWED_ORDER + 1, increasing=True)
    bend = np.zeros(FOLLOWED_ORDER + 1)
    bend[: len(phase.coef)] = phase.coef
    for _ in range(FOLLOWED_ROUNDS):  # block by block is near enough to begin with; then all samples at once
        angle = plain + powers @ bend
        cosine, sine = np.cos(angle), np.sin(angle)
        a, b, c = (float(v) for v in least_squares(np.column_stack([cosine, sine, np.ones(n)]), samples))
        turned = (b * cosine - a * sine)[:, None] * powers[:, 1:]
        left = samples - a * cosine - b * sine - c
        bend[1:] += least_squares(np.column_stack([turned, cosine, sine, np.ones(n)]), left)[:FOLLOWED_ORDER]
    residual = float(np.sqrt(np.mean(left * left)))
    if residual > FOLLOWED_GAIN * tone.residual:
        return Followed(tone, plain, 0.0)
    speeds = np.polynomial.Polynomial(bend).deriv()(at) / t[-1] / (2.0 * math.pi)
    found = Sine(math.hypot(a, b), tone.frequency_hz + float(speeds.mean()), math.atan2(-b, a), c, residual)
    return Followed(found, np.asarray(angle, dtype=np.float64), float(np.ptp(speeds)))


def flat_tops(x: Floats) -> bool:
    """Whether a wave stands at its highest or lowest for longer than a sine does: something before this clips it."""
    for wave in (x, -x):
        top = float(np.quantile(wave, TOP_QUANTILE))
        if top > 0.0 and float(np.mean(wave[wave > 0.0] >= TOP * top)) > TOP_SHARE:
            return True
    return False


def _stands_out(x: Floats, rate_hz: float, tone_hz: float) -> bool:
    """Whether a line is more than the noise around it makes by chance."""
    lines = _spectrum(x)
    k = round(tone_hz * len(x) / rate_hz)
    around = np.concatenate([lines[max(1, k - AROUND) : max(1, k - ASIDE)], lines[k + ASIDE + 1 : k + AROUND + 1]])
    return len(around) == 0 or float(lines[max(0, k - 1) : k + 2].max()) > STANDS_OUT * float(np.median(around))


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
    strongest = _vertex(lines, int(np.argmax(lines))) * rate_hz / len(x)
    if not _is_hum(strongest):
        return strongest
    others = lines.copy()
    for mains_hz in HUM_MAINS_HZ:
        for order in range(1, HUM_ORDERS + 1):
            k = order * mains_hz * len(x) / rate_hz
            others[max(0, math.floor(k) - ASIDE) : math.ceil(k) + ASIDE + 1] = 0.0
    at = _vertex(others, int(np.argmax(others))) * rate_hz / len(x)
    if not _stands_out(x, rate_hz, at):
        raise NoAnswer(f"file: only hum at {strongest:.0f} Hz stands out. Name the tone if that is the one.")
    return at


def _is_hum(f_hz: float) -> bool:
    """Whether a harmonic of the mains lies there."""
    return any(abs(f_hz - k * mains_hz) < HUM_WITHIN_HZ for mains_hz in HUM_MAINS_HZ for k in range(1, HUM_ORDERS + 1))


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


def _harmonics(x: Floats, rate_hz: float, tone: Followed) -> float:
    """The r.m.s. value of the harmonics from the second to the tenth that lie below half the sampling rate.

    Fitted together with the tone and the offset: over a record that does not end on a whole period they are not orthogonal, and a clean
    tone would leak into them.
    """
    orders = harmonics_below(tone.sine.frequency_hz, rate_hz=rate_hz, samples=len(x))
    found = least_squares(np.column_stack([*overtones(tone.angle, orders), np.ones(len(x))]), x)
    return float(np.sqrt(np.sum(found[2:-1] * found[2:-1]) / 2.0))
