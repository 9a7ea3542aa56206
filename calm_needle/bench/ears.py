"""The ears: the computer's own audio input, which a page listens at and sends here in blocks. An instrument like any other.

Its level is that of the tone, in decibels re a sine at full scale; in volts once it was compared with a voltmeter.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.bench.instrument import Instrument
from calm_needle.clock import SYSTEM, Clock
from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.heard import Beat, Heard
from calm_needle.core.physics.listening import HEARD_S, LEVEL_S, Level, Listener
from calm_needle.errors import EarsClosed, EarsUnsure, NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")

TONE_HZ = 400.0
ANOTHER = "Another page listens already. Stop it there, and this one is heard."
KEPT_S = 30.0  # of what comes in
PATIENCE_S = 0.6  # for as long as it takes to hear a level again after a gap
LOUDEST_OF_S, HUM_BELOW_DB = 20.0, 20.0
FRESH_S = 1.0  # after which what was heard is no longer taken for what is there now
HEAR_EVERY_S, BEAT_EVERY_S = 1.5, 1.5
LONGEST_BLOCK = 192_000  # bytes: half a second at the fastest rate
BROWSERS_OWN = {  # what a browser may do to the sound by itself, and must not
    "autoGainControl": "gain control",
    "noiseSuppression": "noise suppression",
    "echoCancellation": "echo cancelling",
}


class Source(NamedTuple):
    """Where the sound comes from: what the browser calls the input, samples a second, what it does to the sound all the same.

    later_s: how much later than it was a level is told, by the blocks on their way and the fifth of a second over which a tone is fitted.
    """

    label: str
    rate_hz: float
    processed: tuple[str, ...] = ()
    later_s: float = 0.35

    @property
    def words(self) -> str:
        what = f"{self.label or 'audio input'}, {self.rate_hz / 1e3:g} kHz"
        return f"{what}; the browser would not switch off its {', '.join(self.processed)}" if self.processed else what


class Lately(NamedTuple):
    """What came in lately: samples of 16 bits, the least byte first, so many a second; the input's name; about where the tone is (Hz)."""

    samples: bytes
    rate_hz: float
    label: str
    tone_hz: float | None


class Told(NamedTuple):
    """What is known of the sound just now; None where it cannot be said, and `why` then."""

    level: Level | None
    heard: Heard | None
    beat: Beat | None
    why: str
    volts: float | None


class Ears(Instrument):
    """Safe between threads: pages send, the bench reads."""

    name = "ears"

    def __init__(self, *, clock: Clock = SYSTEM) -> None:
        self._clock, self._lock = clock.monotonic, clock.lock()
        self._more = clock.condition(self._lock)
        self._listener: Listener | None = None
        self._source: Source | None = None
        self._last_s, self._next, self._page = -math.inf, 0, ""
        self._due_hear_s = self._due_beat_s = 0.0
        self._heard: Heard | None = None
        self._beat: Beat | None = None
        self._why = ""
        self._lately = bytearray()
        self._beats: list[tuple[float, float]] = []  # when, and how loud
        self.known: dict[str, float] = {}  # by the input's label: volts r.m.s. of a sine at full scale, as a voltmeter showed

    @property
    def volts_at_full_scale(self) -> float | None:
        """Volts r.m.s. of a sine at full scale on the input that is listened at, None where that was never compared with a voltmeter."""
        return self.known.get(self._source.label) if self._source else None

    @property
    def later_s(self) -> float:
        """How much later than it was a level is told (s)."""
        return (self._source or Source("", 0.0)).later_s

    # Of the page.

    def take(self, block: bytes, *, source: Source, number: int, tone_hz: float | None = TONE_HZ, page: str = "") -> Told:
        """Get a block of 16-bit samples, little-endian, one channel; return what is known now. Raises OutOfRange for what is no block.

        number: how many samples of that input came before it; where some are missing, it begins anew. page: which page sends it; while one
        listens, another is told so and nothing of it is taken.
        """
        if len(block) % 2 or not 0 < len(block) <= LONGEST_BLOCK:
            raise OutOfRange("samples", shown=f"{len(block)} bytes", wanted=f"2 to {LONGEST_BLOCK}, an even number")
        with self._lock:
            now_s = self._clock()
            fresh = now_s - self._last_s <= FRESH_S
            if fresh and page != self._page:
                return Told(None, None, None, ANOTHER, None)
            self._page = page
            if self._listener is None or not fresh or source != self._source or tone_hz != self._listener.tone_hz:
                self._listener = Listener(rate_hz=source.rate_hz, tone_hz=tone_hz)
                self._source, self._heard, self._beat, self._why = source, None, None, ""
                self._lately.clear()
            if number != self._next:
                self._listener.begin_anew()
                self._lately.clear()
            self._lately += block
            self._listener.take(np.frombuffer(block, dtype="<i2").astype(float) / 32768.0)
            # What is kept as evidence is of one piece.
            del self._lately[: max(0, len(self._lately) - 2 * min(self._listener.whole, round(KEPT_S * source.rate_hz)))]
            self._last_s, self._next = now_s, number + len(block) // 2
            self._more.notify_all()
            self._look(now_s)
            return self._told()

    def told(self) -> Told:
        """Get what is known now. Raises EarsClosed where no page listens."""
        with self._lock:
            self._open()
            return self._told()

    @property
    def open(self) -> bool:
        """Whether a page listens just now."""
        with self._lock:
            return self._listener is not None and self._clock() - self._last_s <= FRESH_S

    def hear(self) -> Heard:
        """Measure all that is in the last half second. Raises EarsClosed, EarsUnsure."""
        with self._lock:
            listener = self._open()
            try:
                return listener.hear()
            except (NoAnswer, OutOfRange) as fault:
                said = str(fault).removeprefix("ears: ").removeprefix("file: ")
                silent = listener.seconds >= HEARD_S and not listener.clips()
                raise EarsUnsure(f"The ears hear no tone: {said}", silent=silent) from fault

    def last(self, seconds: float) -> Lately:
        """Get the last seconds of what was heard, or what there is of them without a gap. Raises EarsClosed, EarsUnsure before a half."""
        with self._lock:
            listener = self._open()
            assert self._source
            wanted = 2 * round(min(seconds, KEPT_S) * self._source.rate_hz)
            samples = bytes(self._lately[-wanted:])
            if len(samples) < self._source.rate_hz:
                raise EarsUnsure("Too little was heard yet to keep. Listen for a few seconds more.")
            return Lately(samples, self._source.rate_hz, self._source.label, listener.tone_hz)

    def beat(self) -> Beat | None:
        """Measure the beat in the last two seconds, as they are now; None where none stands out. Raises EarsClosed."""
        with self._lock:
            try:
                return self._open().beat()
            except NoAnswer:
                return None

    def compare(self, volts: float) -> float:
        """Control what is told in volts: by a voltmeter's reading (V r.m.s.) of what is heard now. Return the volts at full scale."""
        with self._lock:
            level = self._level()
            full = float(volts / 10.0 ** (level.tone_dbfs / 20.0))
            assert self._source
            self.known = {**self.known, self._source.label: full}
            return full

    # Of the bench.

    def identity(self) -> str:
        """Get what the browser calls the input."""
        with self._lock:
            self._open()
            assert self._source
            return self._source.words

    def in_step(self) -> None:
        """Get whether a page listens. Raises EarsClosed else."""
        with self._lock:
            self._open()

    def close(self) -> None:
        """Let go of nothing: the page has the input."""

    def unit(self, wanted: str) -> str:
        """Get decibels where volts are wanted and it was never compared with a voltmeter."""
        return "dB" if wanted == "V" and self.volts_at_full_scale is None else wanted

    def decibels(self) -> float:
        """Measure the tone, decibels re a sine at full scale. Raises EarsClosed, and EarsUnsure for silence or what clips."""
        with self._lock:
            return self._level().tone_dbfs

    def volts(self) -> float:
        """Measure the tone in volts r.m.s., by the comparison with a voltmeter."""
        with self._lock:
            return float(self._full_v() * 10.0 ** (self._level().tone_dbfs / 20.0))

    def all_volts(self) -> float:
        """Measure all that is heard, tone, hum and hiss together, in volts r.m.s., as a millivoltmeter reads it; 0 for silence."""
        with self._lock:
            full = self._full_v()
            try:
                return float(full * 10.0 ** (self._level().total_dbfs / 20.0))
            except EarsUnsure as fault:
                if fault.silent:
                    return 0.0
                raise

    def hertz(self) -> float:
        """Measure the pitch of a beat (Hz) in the last half second; 0 where none stands out of the hiss, as at zero beat.

        What is left there then is hum: a harmonic of the mains far below the loudest beat of late is none.
        """
        with self._lock:
            self._more.wait_for(lambda: self._open().seconds >= HEARD_S, PATIENCE_S)
            try:
                found = self._open().beat(seconds=HEARD_S)
            except NoAnswer as fault:
                if self._open().seconds >= HEARD_S:
                    return 0.0
                raise EarsUnsure(f"The ears hear no beat yet: {str(fault).removeprefix('ears: ')}") from fault
            now_s = self._clock()
            lately = [(at_s, dbfs) for at_s, dbfs in self._beats if now_s - at_s <= LOUDEST_OF_S]
            if found.may_be_hum and any(dbfs > found.level_dbfs + HUM_BELOW_DB for _, dbfs in lately):
                return 0.0
            self._beats = [*lately, (now_s, found.level_dbfs)]
            return found.pitch_hz

    # Within; the lock is held.

    def _open(self) -> Listener:
        if self._listener is None or self._clock() - self._last_s > FRESH_S:
            raise EarsClosed
        return self._listener

    def _full_v(self) -> float:
        full = self.volts_at_full_scale
        if full is None:
            raise EarsUnsure("The ears know no volts yet. Compare them with a voltmeter once, on their page.")
        return full

    def _level(self) -> Level:
        # A sound that stops for an instant and goes on is no event: what comes next tells the level.
        self._more.wait_for(lambda: self._open().seconds >= LEVEL_S, PATIENCE_S)
        try:
            level = self._open().level()
        except NoAnswer as fault:
            raise EarsUnsure(
                f"The ears hear no tone: {str(fault).removeprefix('ears: ')}", silent=self._open().seconds >= LEVEL_S
            ) from fault
        if level.clips:
            raise EarsUnsure("The input of the ears is too loud, and clips. Turn its level down, or the volume.")
        return level

    def _look(self, now_s: float) -> None:
        """Judge all of it, now and then: it takes as long as twenty looks at the level."""
        listener = self._listener
        assert listener
        if now_s >= self._due_hear_s:
            self._due_hear_s = now_s + HEAR_EVERY_S
            self._heard, self._why = None, ""
            try:
                self._heard = listener.hear()
            except (NoAnswer, OutOfRange) as fault:
                self._why = str(fault).removeprefix("ears: ").removeprefix("file: ")
        elif now_s >= self._due_beat_s:
            self._due_beat_s = now_s + BEAT_EVERY_S
            try:
                self._beat = listener.beat()
            except NoAnswer:
                self._beat = None

    def _told(self) -> Told:
        assert self._listener
        try:
            level = self._listener.level()
        except NoAnswer as fault:
            return Told(None, None, None, str(fault).removeprefix("ears: "), None)
        full = self.volts_at_full_scale
        volts = full * 10.0 ** (level.tone_dbfs / 20.0) if full is not None and not level.clips else None
        return Told(level, self._heard, self._beat, self._why, volts)
