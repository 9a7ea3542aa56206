"""What the instruments measure of a verification, each routine by its name: a level by a criterion, ratios, and series with their curves.

The set is tuned in at the strong signal that a routine begins with; a practice set by the program, a real one by a person. Everything is
left as it was found. Each routine returns what was measured, in SI, by the names of core.verification.measures.
"""

import math
from collections.abc import Callable, Mapping
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np

from calm_needle.bench.generator import Generator
from calm_needle.core.dossier.model import Band
from calm_needle.core.physics.level_search import Tried as TriedOutput
from calm_needle.core.physics.sine_fit import Recording, sinad
from calm_needle.core.verification.definitions import DEPTH, TONE_HZ, Definition, State
from calm_needle.core.verification.level_for_ratio import Tried, level_of, next_level
from calm_needle.errors import EarsUnsure, FieldsRefused, NoAnswer
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.meters import Meters

LEAST_V, MOST_V = 1e-6, 0.1
LIMITING_V = 1e-4  # below which no gain control flattens a response, on most sets
SETTLE_S, CAREFULLY_S, APART_S, AVERAGED = 0.3, 0.6, 0.08, 4  # of a meter that averages over a tenth of a second
WAVE_S = 0.1  # of the output, that a tone is fitted to
OFFSETS_HZ = (0.0, 1e3, 2e3, 3e3, 4e3, 5e3, 7e3, 10e3, 14e3, 20e3)
TONES_HZ = (50.0, 100.0, 200.0, 400.0, 700.0, 1000.0, 1500.0, 2000.0, 3000.0, 4000.0, 5000.0)
DEEPEST_DB = 66.0
EDGE_DB, HALVINGS, FINE_SHARE = 6.0, 6, 0.2  # where a width is told; how near the points at its edges are brought, as a share of it
# Standard deviations (dB) of a level found for an output, and of an output read, as rehearsed against the truth.
READ_DB, OUTPUT_DB = 0.15, 0.15


class Asked(NamedTuple):
    """What a routine is to measure: band, where on its dial (Hz), where the generator goes in, the standard output (V), the definition;
    the image's frequency and the intermediate (Hz); output_point: the test point at which an oscilloscope sees the output, if any.
    """

    band: Band
    at_hz: float
    point: str
    standard_v: float
    definition: Definition
    image_hz: float
    if_hz: float
    output_point: str = ""


class Measured(NamedTuple):
    """What was measured (SI, by name), and its standard deviation by the routine alone (dB of a level; None where it has none)."""

    values: dict[str, Any]
    sigma: float | None = None


def measure(meters: Meters, routine: str, asked: Asked, *, cover: str = "") -> Measured:
    """Have the instruments measure. cover: on or off, which a practice set is brought to.

    Raises FieldsRefused, InstrumentError, NoAnswer.
    """
    with meters.together():
        if meters.practice and meters.practice.share() == 0.0:
            raise FieldsRefused({"value": "The set is off: switch it on by its safe start, and let it warm."})
        if meters.practice and cover:
            meters.practice.cover(on=cover == "on")
    with soundings.at_the_aerial(meters, asked.band, dial_hz=asked.at_hz, point=asked.point) as (generator, pointer_hz):
        found = ROUTINES[routine](meters, generator, asked)
    if pointer_hz:
        found.values["pointer_hz"] = pointer_hz
    return found


def _level(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    """The level at which the criterion of a definition is met."""
    definition, tried = asked.definition, list[Tried]()
    reader = _Apart(meters, generator, asked)
    search = {"wanted_db": definition.apart_db, "slope": definition.slope}
    while level := next_level(tried, **search, least_v=LEAST_V, most_v=MOST_V, first_v=LIMITING_V):  # type: ignore[arg-type]
        generator.set_level(level)
        near = level_of(tried, **search) is not None  # type: ignore[arg-type]
        apart = _sinad_db(meters, generator, asked) if definition.waveform else reader.read(carefully=near)
        tried.append(Tried(level, apart))
    found = level_of(tried, **search)  # type: ignore[arg-type]
    if found is None:
        reached = max(t.apart_db for t in tried)
        most = f"{reached:.1f} dB at most, up to the strongest that the generator gives"
        raise NoAnswer(f"{definition.short} was not reached on {asked.band.name}: {most}.")
    values = {"at_hz": asked.at_hz, "definition": definition.name, "level_v": found.level_v, "tried": [list(t) for t in tried]}
    return Measured(values, found.sigma_db)


class _Apart:
    """Reads two states of the generator against each other, beginning with the one that stands: each change of state has to settle."""

    def __init__(self, meters: Meters, generator: Generator, asked: Asked) -> None:
        self._meters, self._generator, self._asked = meters, generator, asked
        self._stands: State = asked.definition.high

    def read(self, *, carefully: bool) -> float:
        """Return how far apart they are (dB). carefully: for what is judged by; else for what is only looked for."""
        high, low = self._asked.definition.high, self._asked.definition.low
        first, second = (high, low) if self._stands != low else (low, high)
        volts = {first: self._output(first, settle_s=SETTLE_S, averaged=AVERAGED if carefully else 2)}
        swings_s = CAREFULLY_S if carefully else SETTLE_S
        volts[second] = self._output(second, settle_s=swings_s, averaged=AVERAGED if carefully else 2)
        self._stands = second if second != "standard" else first
        return 20.0 * math.log10(max(volts[high], 1e-9) / max(volts[low], 1e-9))

    def _output(self, state: State, *, settle_s: float, averaged: int) -> float:
        if state == "standard":
            return self._asked.standard_v
        self._generator.set_output(state != "off")
        self._generator.set_amplitude_modulation(depth=DEPTH if state == "tone" else 0.0, tone_hz=TONE_HZ)
        return _settled(self._meters, settle_s=settle_s, averaged=averaged)


def _sinad_db(meters: Meters, generator: Generator, asked: Asked) -> float:
    generator.set_amplitude_modulation(depth=DEPTH, tone_hz=TONE_HZ)
    try:
        return _tone(meters, asked)[0]
    except EarsUnsure as fault:
        if fault.silent:
            return 0.0  # no tone stands out: all of it is noise
        raise


def _tone(meters: Meters, asked: Asked) -> tuple[float, float | None]:
    """SINAD (dB) and distortion (%, None without a tone) of what stands at the output: of what is heard, where the ears are the meter."""
    if (heard := meters.heard()) is not None:
        return heard.sinad_db, heard.distortion_percent
    scope, output_v = meters.oscilloscope, _settled(meters)
    if meters.practice and asked.output_point:
        meters.practice.clip("oscilloscope1", asked.output_point)
    scope.set_range(12.0 * max(output_v, 1e-3))
    scope.set_time(WAVE_S)
    trace = scope.trace()
    recording = Recording(len(trace.volts) / trace.time_s, np.asarray(trace.volts) / trace.range_v, "the oscilloscope’s trace")
    found = sinad(recording=recording, tone_hz=TONE_HZ)
    return found.sinad_db, found.distortion_percent


def _image(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    return _other_frequency(meters, generator, asked, [asked.image_hz + d for d in soundings.IMAGE_BESIDE_HZ])


def _if_ratio(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    return _other_frequency(meters, generator, asked, [asked.if_hz + d for d in soundings.IMAGE_BESIDE_HZ])


def _other_frequency(meters: Meters, generator: Generator, asked: Asked, others_hz: list[float]) -> Measured:
    """The levels for the same output at the signal, and where it is loudest of some other frequencies."""
    first = TriedOutput(soundings.STRONG_V, soundings.settled(meters))
    signal_v = soundings.level_for(meters, generator, first, wanted_v=asked.standard_v)
    if signal_v is None:
        raise NoAnswer(f"The signal itself does not give the standard output on {asked.band.name}: find out why first.")
    other_v = soundings.level_at_loudest(meters, generator, others_hz, wanted_v=asked.standard_v)
    values: dict[str, Any] = {"at_hz": asked.at_hz, "signal_v": signal_v, "most_v": MOST_V} | ({"other_v": other_v} if other_v else {})
    return Measured(values, math.sqrt(2.0) * READ_DB)


def _selectivity(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    """How much more level the same output needs beside the frequency it is tuned to, on both sides, outwards until it is deep enough."""
    wanted_v = _quiet_output(meters, generator, asked)
    at_v: dict[float, float] = {}
    for way in (1.0, -1.0):
        last_v = at_v.get(0.0, LIMITING_V)
        for offset in OFFSETS_HZ[0 if way > 0 else 1 :]:
            generator.set_frequency(asked.at_hz + way * offset)
            generator.set_level(last_v)
            level = soundings.level_for(meters, generator, TriedOutput(last_v, soundings.settled(meters)), wanted_v=wanted_v)
            if level is None and not offset:
                raise NoAnswer(f"The signal itself does not give the output on {asked.band.name}: find out why first.")
            if level is None:
                break
            at_v[way * offset] = last_v = level
            if 20.0 * math.log10(level / at_v[0.0]) > DEEPEST_DB:
                break
    _finer_at_the_edges(meters, generator, asked, at_v, wanted_v)
    best = min(at_v, key=at_v.__getitem__)
    # The least of many readings is the luckiest: that from which all the others count is read anew.
    generator.set_frequency(asked.at_hz + best)
    generator.set_level(at_v[best])
    again_v = soundings.level_for(meters, generator, TriedOutput(at_v[best], soundings.settled(meters)), wanted_v=wanted_v)
    at_v[best] = again_v or at_v[best]
    offsets = sorted(at_v)
    down = [max(0.0, 20.0 * math.log10(at_v[o] / at_v[best])) for o in offsets]
    return Measured({"at_hz": asked.at_hz, "offsets_hz": offsets, "down_db": down, "output_v": wanted_v}, READ_DB)


def _finer_at_the_edges(meters: Meters, generator: Generator, asked: Asked, at_v: dict[float, float], wanted_v: float) -> None:
    """Halve the way between the points either side of each edge at −6 dB, until they lie near each other beside the width itself: a
    crystal's few hundred hertz are told by no grid of a kilohertz."""
    for _ in range(HALVINGS):
        offsets = sorted(at_v)
        least = min(at_v.values())
        down = {o: 20.0 * math.log10(at_v[o] / least) for o in offsets}
        pairs = [p for p in pairwise(offsets) if min(down[p[0]], down[p[1]]) <= EDGE_DB < max(down[p[0]], down[p[1]])]
        if len(pairs) < 2:
            return
        width = sum(pairs[-1]) / 2.0 - sum(pairs[0]) / 2.0
        wide = [p for p in (pairs[0], pairs[-1]) if p[1] - p[0] > FINE_SHARE * width]
        if not wide:
            return
        for low, high in wide:
            offset = (low + high) / 2.0
            generator.set_frequency(asked.at_hz + offset)
            begin_v = math.sqrt(at_v[low] * at_v[high])
            generator.set_level(begin_v)
            level = soundings.level_for(meters, generator, TriedOutput(begin_v, soundings.settled(meters)), wanted_v=wanted_v)
            if level is None:
                return
            at_v[offset] = level


def _quiet_output(meters: Meters, generator: Generator, asked: Asked) -> float:
    """An output that is well above the noise and below what gain control holds: that of the (S+N)/N level, some decibels more."""
    generator.set_level(LIMITING_V)
    generator.set_amplitude_modulation(depth=0.0, tone_hz=TONE_HZ)
    noise = soundings.settled(meters)
    generator.set_amplitude_modulation(depth=DEPTH, tone_hz=TONE_HZ)
    return min(max(8.0 * noise, 0.02 * asked.standard_v), asked.standard_v)


def _gain_control(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    levels = [10.0 ** (e / 2.0) * 1e-6 for e in range(0, 11)]
    outputs = []
    for level in levels:
        generator.set_level(level)
        outputs.append(_settled(meters, settle_s=CAREFULLY_S, averaged=2 * AVERAGED))
    return Measured({"at_hz": asked.at_hz, "levels_v": levels, "outputs_v": outputs}, OUTPUT_DB)


def _audio(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    generator.set_level(soundings.STRONG_V)
    outputs = []
    for tone in TONES_HZ:
        generator.set_amplitude_modulation(depth=DEPTH, tone_hz=tone)
        outputs.append(_settled(meters, settle_s=CAREFULLY_S))
    return Measured({"at_hz": asked.at_hz, "tones_hz": list(TONES_HZ), "outputs_v": outputs}, OUTPUT_DB)


def _distortion(meters: Meters, generator: Generator, asked: Asked) -> Measured:
    generator.set_level(soundings.STRONG_V)
    ratio_db, percent = _tone(meters, asked)
    if percent is None:
        raise EarsUnsure(
            "No tone stands out of the noise, so it has no distortion. Raise the level, or see that the tone is on.", silent=True
        )
    values = {"at_hz": asked.at_hz, "distortion_percent": percent, "sinad_db": ratio_db, "output_v": soundings.settled(meters)}
    return Measured(values)


def _settled(meters: Meters, *, settle_s: float = SETTLE_S, averaged: int = AVERAGED) -> float:
    """A reading once the meter has come to rest, averaged: noise swings it."""
    meters.output_v()
    meters.rest(settle_s)
    total = 0.0
    for k in range(averaged):
        if k:
            meters.rest(APART_S)
        total += meters.output_v() ** 2
    return math.sqrt(total / averaged)


Routine = Callable[[Meters, Generator, Asked], Measured]
ROUTINES: Mapping[str, Routine] = {
    "level": _level,
    "image": _image,
    "if": _if_ratio,
    "selectivity": _selectivity,
    "gain-control": _gain_control,
    "audio": _audio,
    "distortion": _distortion,
}
