"""What only the practice set knows of its sensitivity: the level that meets a criterion, without noise of reading or errors of meters."""

import contextlib
import math
from collections.abc import Iterator

from calm_needle.core.dossier.model import Band
from calm_needle.core.verification.definitions import DEPTH, TONE_HZ, Definition, State
from calm_needle.sim.receiver.practice import Input, PracticeReceiver

LEAST_V, MOST_V, STEP, HALVINGS = 1e-9, 1.0, 1.5, 24


def level_for(
    receiver: PracticeReceiver, band: Band, *, f_hz: float, dial_hz: float, definition: Definition, standard_v: float, point: str
) -> float:
    """Return the level (V) at a point that meets a definition at f_hz, the pointer at dial_hz; infinite where none does.

    By bisection, the lowest between a nanovolt and a volt; the set is left as it stood. SINAD is that of tone and noise: nothing here
    distorts.
    """

    def output(state: State, level_v: float) -> float:
        if state == "standard":
            return standard_v
        receiver.feed = Input(f_hz, level_v if state != "off" else 0.0, DEPTH if state == "tone" else 0.0, TONE_HZ)
        heard = receiver.audio()
        return math.hypot(heard.tone_v, heard.noise_v)

    def apart_db(level_v: float) -> float:
        if definition.waveform:
            receiver.feed = Input(f_hz, level_v, DEPTH, TONE_HZ)
            heard = receiver.audio()
            return 20.0 * math.log10(math.hypot(heard.tone_v, heard.noise_v) / max(heard.noise_v, 1e-15))
        return 20.0 * math.log10(max(output(definition.high, level_v), 1e-15) / max(output(definition.low, level_v), 1e-15))

    with _standing(receiver, band, dial_hz=dial_hz, point=point):
        # From below: a set that is given too much says less again.
        steps = (LEAST_V * STEP**k for k in range(1, 1 + math.ceil(math.log(MOST_V / LEAST_V) / math.log(STEP))))
        high_v = next((v for v in steps if apart_db(v) >= definition.apart_db), math.inf)
        if math.isinf(high_v):
            return math.inf
        low, high = math.log(high_v / STEP), math.log(high_v)
        for _ in range(HALVINGS):
            middle = (low + high) / 2.0
            low, high = (middle, high) if apart_db(math.exp(middle)) < definition.apart_db else (low, middle)
        return math.exp((low + high) / 2.0)


def output_for(receiver: PracticeReceiver, band: Band, *, level_v: float, f_hz: float, dial_hz: float, point: str) -> float:
    """Return the output (V r.m.s., tone and noise) for a modulated level (V) at a point."""
    with _standing(receiver, band, dial_hz=dial_hz, point=point):
        receiver.feed = Input(f_hz, level_v, DEPTH, TONE_HZ)
        heard = receiver.audio()
        return math.hypot(heard.tone_v, heard.noise_v)


@contextlib.contextmanager
def _standing(receiver: PracticeReceiver, band: Band, *, dial_hz: float, point: str) -> Iterator[None]:
    """The set on a band, its pointer there, the generator at a point; and as it stood afterwards."""
    before = receiver.lead, receiver.feed, receiver.dial.band, receiver.dial.dial_hz
    receiver.lead = point
    receiver.dial.select(band.id)
    receiver.dial.point(dial_hz)
    try:
        yield
    finally:
        receiver.lead, receiver.feed = before[0], before[1]
        if before[2]:
            receiver.dial.select(before[2])
            receiver.dial.point(before[3])
