"""Sound as it comes, in blocks of some fifty milliseconds: the level of the tone at once, all that is in it once a second.

For the needle the tone is fitted over the last fifth of a second, or over a part of that where the longer does not agree: a level that is
being turned is then where it is now, and a sound that was interrupted, its phase jumping, is not taken for a fainter one. Neighbouring
samples are averaged first, down to some eight thousand a second, which leaves the tone lower by sin(pi f D/R) / (D sin(pi f/R)) for D
samples averaged at rate R; that is put right. What else is in the sound is judged over the last half second at the full rate, by
heard.hear(), and a beat over the last two, by heard.beat(), as a recording is.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.heard import QUIET_DBFS, Beat, Heard, beat, hear
from calm_needle.core.physics.sine_fit import Recording, Sine, fit_sine
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

SLOWEST_HZ, FASTEST_HZ = 7_900.0, 192_000.0  # rates that audio inputs have
LEVEL_S, HEARD_S, BEAT_S = 0.2, 0.5, 2.0
NEAR_RATE_HZ = 8_000.0
LONGEST_BLOCK_S = 1.0
FEWEST_PERIODS = 6.0
SIGMAS, AGREE = 4.0, 0.012  # standard deviations, and share of the tone, by which two fits of it may differ
NEAR_ENOUGH = 1e-5  # of the tone's frequency: its level is then exact to a thousandth of a decibel
FULL_SCALE = 0.9999
INTERRUPTED_S, LOUD = 2e-3, 3e-3  # of zeros; and how loud a sound must be for them to be no pause of its own
CLIPPED_SHARE = 2e-3  # of the samples at full scale


class Level(NamedTuple):
    """The tone (Hz) and its level, and that of everything together (decibels re a sine at full scale); whether it clips, and whether it is
    too quiet for an input of 16 bits to tell much of it."""

    tone_hz: float
    tone_dbfs: float
    total_dbfs: float
    clips: bool
    quiet: bool


class Listener:
    """What was heard lately. tone_hz: about where the tone is, to 5 %; the strongest is taken where None."""

    def __init__(self, *, rate_hz: float, tone_hz: float | None = None) -> None:
        if not SLOWEST_HZ <= rate_hz <= FASTEST_HZ:
            raise OutOfRange("rate_hz", shown=f"{rate_hz:g} Hz", wanted=f"{SLOWEST_HZ:g} to {FASTEST_HZ:g} Hz")
        self.rate_hz, self.tone_hz = rate_hz, tone_hz
        self._held = np.zeros(round(BEAT_S * rate_hz))
        self._count = 0
        self._known: Level | None = None  # until more comes in

    def begin_anew(self) -> None:
        """Forget what was heard: what comes now does not join on."""
        self._count = 0
        self._known = None

    def take(self, samples: Floats) -> None:
        """Take a block in: samples between -1 and 1, at most a second of them."""
        if len(samples) > LONGEST_BLOCK_S * self.rate_hz:
            raise OutOfRange("samples", shown=f"{len(samples)}", wanted=f"at most a second, {self.rate_hz:g}")
        goes_on = self._interrupted(samples)
        if goes_on is not None:
            self.begin_anew()
            samples = samples[goes_on:]
        self._known = None
        n = len(samples)
        if n:
            self._held[:-n] = self._held[n:]
            self._held[-n:] = samples
            self._count += n

    def _interrupted(self, samples: Floats) -> int | None:
        """Where a sound goes on after it was interrupted, or None: browsers and drivers fill with zeros what came too late, and
        no input that hears anything gives two milliseconds of exact zeros.
        """
        shortest = round(INTERRUPTED_S * self.rate_hz)
        sounding = np.flatnonzero(samples)
        if not len(samples) or max(self._loudest(), float(np.abs(samples).max())) < LOUD:
            return None
        if len(sounding) and self._count >= shortest and not self._held[-shortest:].any():
            return int(sounding[0])
        edges = np.concatenate([[-1], sounding, [len(samples)]])
        gaps = np.flatnonzero(np.diff(edges) - 1 >= shortest)
        return int(edges[gaps[-1] + 1]) if len(gaps) else None

    def _loudest(self) -> float:
        n = min(self._count, round(LEVEL_S * self.rate_hz))
        return float(np.abs(self._held[-n:]).max()) if n else 0.0

    @property
    def whole(self) -> int:
        """How many samples came since the sound began, or began anew."""
        return self._count

    @property
    def seconds(self) -> float:
        """How much is held (s)."""
        return min(self._count, len(self._held)) / self.rate_hz

    def level(self) -> Level:
        """Return the level now. Raises NoAnswer in silence, and before a fifth of a second was heard."""
        if self._known is None:  # the page that listens and the bench that reads ask for the same moment
            self._known = self._level()
        return self._known

    def _level(self) -> Level:
        x = self._last(LEVEL_S)
        peak = float(np.abs(x).max())
        if peak < 1e-6:
            raise NoAnswer("ears: nothing but silence comes in. See that the right input is chosen, and its level.")
        slow, every = self._slower(x)
        tone = self._tone(slow, self.rate_hz / every)
        amplitude = tone.amplitude / averaged(tone.frequency_hz, every=every, rate_hz=self.rate_hz)
        total = math.sqrt(2.0) * float(np.std(x))
        clips = _clips(x)
        return Level(tone.frequency_hz, dbfs(amplitude), dbfs(total), clips, dbfs(amplitude) < QUIET_DBFS)

    def clips(self) -> bool:
        """Whether what was heard in the last half second clips."""
        return _clips(self._last(min(HEARD_S, self.seconds)))

    def hear(self, *, mains_hz: float = 50.0) -> Heard:
        """Return all that is in the last half second. Raises NoAnswer as heard.hear() does, and before so much was heard."""
        return hear(recording=Recording(self.rate_hz, self._last(HEARD_S), "ears"), tone_hz=self.tone_hz, mains_hz=mains_hz)

    def beat(self, *, seconds: float = BEAT_S) -> Beat:
        """Return the pitch of the beat in the last seconds, or in what there is of them. Raises NoAnswer where none stands out."""
        slow, every = self._slower(self._last(min(seconds, max(LEVEL_S, self.seconds))))
        return beat(recording=Recording(self.rate_hz / every, slow, "ears"))

    def recording(self) -> Recording:
        """Return the last two seconds, or what there is of them."""
        return Recording(self.rate_hz, self._last(self.seconds), "ears")

    def _last(self, seconds: float) -> Floats:
        n = round(seconds * self.rate_hz)
        if not n or n > min(self._count, len(self._held)):
            raise NoAnswer("ears: too little was heard yet.")
        return self._held[-n:].copy()

    def _tone(self, slow: Floats, rate_hz: float) -> Sine:
        """The tone over all of it; over the last half, quarter or eighth, where that shows another level than noise explains."""
        about_hz = self._about_hz(slow, rate_hz)
        lengths = [n for k in (8, 4, 2, 1) if (n := len(slow) // k) * about_hz >= FEWEST_PERIODS * rate_hz] or [len(slow)]
        fits = [fit_sine(samples=slow[-n:], rate_hz=rate_hz, start_hz=about_hz, sure=NEAR_ENOUGH) for n in lengths]
        noise = min(f.residual for f in fits)
        best = fits[0]
        for shorter, longer in zip(lengths, fits[1:], strict=False):
            unsure = SIGMAS * math.sqrt(2.0 / shorter) * noise
            if abs(longer.amplitude - best.amplitude) > unsure + AGREE * best.amplitude:
                break
            best = longer  # what agrees is surer, the longer it is
        return best

    def _slower(self, x: Floats) -> tuple[Floats, int]:
        """Samples averaged down to some eight thousand a second, without their mean, and how many were averaged."""
        every = max(1, int(self.rate_hz / NEAR_RATE_HZ))
        slow = x[len(x) % every :].reshape(-1, every).mean(axis=1)
        return slow - slow.mean(), every

    def _about_hz(self, x: Floats, rate_hz: float) -> float:
        """The strongest line, within 5 % of the tone where it is known; four times finer than the record's own lines."""
        lines = np.abs(np.fft.rfft(x * np.hanning(len(x)), 4 * len(x)))
        per = rate_hz / (4 * len(x))
        low, high = (0.95 * self.tone_hz, 1.05 * self.tone_hz) if self.tone_hz else (50.0, 0.45 * rate_hz)
        first, last = max(1, math.floor(low / per)), min(len(lines) - 1, math.ceil(high / per))
        return (first + int(np.argmax(lines[first : last + 1]))) * per


def _clips(x: Floats) -> bool:
    return float(np.mean(np.abs(x) >= FULL_SCALE)) > CLIPPED_SHARE


def averaged(f_hz: float, *, every: int, rate_hz: float) -> float:
    """Return by how much (1: not at all) a tone is lower after so many neighbouring samples were averaged."""
    angle = math.pi * f_hz / rate_hz
    return abs(math.sin(every * angle) / (every * math.sin(angle))) if every > 1 and math.sin(angle) else 1.0


def dbfs(amplitude: float) -> float:
    """Return decibels re a sine at full scale."""
    return 20.0 * math.log10(max(amplitude, 1e-9))
