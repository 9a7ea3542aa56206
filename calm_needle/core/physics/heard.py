"""What is in a recording of a set's output: the tone, its harmonics, the mains' hum, and hiss; and the pitch of a beat.

Tone, harmonics, hum at the mains' frequency and at twice that, and an offset are fitted together by least squares, for over a record that
does not end on whole periods none of them is orthogonal to another; what they leave is hiss. Levels are decibels re a sine at full scale.
The frequency's uncertainty is the Cramér-Rao bound of a sine in white noise: var w = 24 s² / (A² N (N² - 1)) rad² a sample (Rife and
Boorstyn, IEEE Trans. Inf. Theory 20, 1974).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.sine_fit import Recording, analysed, fit_sine, harmonics_below, least_squares, middle, overtones
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

LEAST_S = 0.1
QUIET_DBFS = -60.0  # below it, an input of 16 bits tells little of what it hears
APART_PERIODS = 1.5  # of the record, by which a hum must be off the tone to be told from it
HUM_WITHIN_HZ = 1.0
SPREAD = 3.0  # standard deviations of a beat's pitch that are stated


class Heard(NamedTuple):
    """The tone (Hz) and its level, the whole, hum at once and twice the mains, hiss, each in decibels re a sine at full scale; all of it to
    hiss and hum, (S+N)/N (dB); SINAD (dB), harmonics to the tenth (% of the tone, None without one), drift of the tone (Hz) and flat tops,
    which are sinad()'s own."""

    tone_hz: float
    tone_dbfs: float
    total_dbfs: float
    hum_dbfs: float
    hum_twice_dbfs: float
    hiss_dbfs: float
    signal_to_noise_db: float
    sinad_db: float
    distortion_percent: float | None
    quiet: bool
    drift_hz: float = 0.0
    flat_tops: bool = False


class Beat(NamedTuple):
    """The pitch of a beat (Hz), three standard deviations of it (Hz), and its level (decibels re a sine at full scale)."""

    pitch_hz: float
    sure_hz: float
    level_dbfs: float

    @property
    def may_be_hum(self) -> bool:
        """Whether a harmonic of the mains lies there, of 50 or of 60 Hz."""
        return any(abs(self.pitch_hz - k * mains) < HUM_WITHIN_HZ for mains in (50.0, 60.0) for k in range(1, 5))


def hear(*, recording: Recording, tone_hz: float | None = None, mains_hz: float = 50.0) -> Heard:
    """Return what a recording holds; the strongest line is the tone where none is named (Hz), else the strongest within 5 % of it.

    Refused in words, as sinad() does: silence, clipping, too short a record, a tone above half the rate.
    """
    x, tone, found = analysed(recording=recording, tone_hz=tone_hz)
    n, rate_hz = len(x), recording.rate_hz
    t = (np.arange(n) - (n - 1) / 2.0) / rate_hz
    orders = harmonics_below(found.tone_hz, rate_hz=rate_hz, samples=n)
    tones = [k * found.tone_hz for k in orders]
    hums = [
        f for f in (mains_hz, 2.0 * mains_hz) if all(abs(f - other) * n / rate_hz > APART_PERIODS for other in tones) and f < rate_hz / 2.0
    ]
    of_hum = [f(2.0 * math.pi * h * t) for h in hums for f in (np.cos, np.sin)]
    columns = np.column_stack([*overtones(tone.angle, orders), *of_hum, np.ones(n)])
    fitted = least_squares(columns, x)
    left = x - columns @ fitted
    amplitudes = [math.hypot(float(fitted[2 * k]), float(fitted[2 * k + 1])) for k in range(len(tones) + len(hums))]
    hum = dict(zip(hums, amplitudes[len(tones) :], strict=True))
    hiss = math.sqrt(float(left @ left) / max(1, n - len(fitted)))
    noise = math.sqrt(hiss**2 + sum(a * a for a in hum.values()) / 2.0)
    whole = math.sqrt(sum(a * a for a in amplitudes[: len(tones)]) / 2.0 + noise**2)
    return Heard(
        found.tone_hz,
        _db(amplitudes[0]),
        _db(math.sqrt(2.0) * whole),
        _db(hum.get(mains_hz, 0.0)),
        _db(hum.get(2.0 * mains_hz, 0.0)),
        _db(math.sqrt(2.0) * hiss),
        20.0 * math.log10(whole / max(noise, 1e-9)),
        found.sinad_db,
        found.distortion_percent,
        _db(amplitudes[0]) < QUIET_DBFS,
        found.drift_hz,
        found.flat_tops,
    )


def beat(*, recording: Recording, low_hz: float = 20.0, high_hz: float = 3000.0) -> Beat:
    """Return the pitch of the strongest tone between two frequencies (Hz), and how sure it is. Raises NoAnswer where none stands out."""
    if not 0.0 < low_hz < high_hz:
        raise OutOfRange("low_hz", shown=f"{low_hz:g} Hz", wanted=f"above zero and below {high_hz:g} Hz")
    x, rate_hz = middle(recording.samples), recording.rate_hz
    n = len(x)
    if n < LEAST_S * rate_hz or n < 64:
        raise NoAnswer(f"file: {n} samples are too few to hear a beat in. Record for two seconds.")
    lines = np.abs(np.fft.rfft(x * np.hanning(n)))
    first, last = max(2, math.ceil(low_hz * n / rate_hz)), min(len(lines) - 2, int(high_hz * n / rate_hz))
    if last <= first:
        raise NoAnswer(f"file: nothing between {low_hz:g} and {high_hz:g} Hz can be told from so short a recording.")
    at = first + int(np.argmax(lines[first : last + 1]))
    if lines[at] < STANDS_OUT * float(np.median(lines[first : last + 1])) or lines[at] < 1e-9 * n:
        raise NoAnswer("file: no beat stands out of the hiss. Bring the two nearer together, or make them louder.")
    tone = fit_sine(samples=x, rate_hz=rate_hz, start_hz=at * rate_hz / n)
    variance = 24.0 * tone.residual**2 / max(tone.amplitude**2 * n * (float(n) ** 2 - 1.0), 1e-30)
    return Beat(tone.frequency_hz, SPREAD * math.sqrt(variance) * rate_hz / (2.0 * math.pi), _db(tone.amplitude))


STANDS_OUT = 8.0  # times the median line


def _db(amplitude: float) -> float:
    return 20.0 * math.log10(max(amplitude, 1e-9))
