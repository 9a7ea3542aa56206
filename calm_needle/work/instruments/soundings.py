"""Soundings: measurements that need the generator and a meter together, step by step. The generator is left as it was found."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import NamedTuple

from calm_needle.bench.generator import Generator
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.core.dossier.model import Band
from calm_needle.core.physics import level_search
from calm_needle.core.physics.dip_scan import closer_look, first_look
from calm_needle.core.physics.level_search import Tried
from calm_needle.errors import FieldsRefused
from calm_needle.work.instruments.meters import Meters

SCAN_LEVEL_V = 0.1
LEAST_READ_V = 1e-6
MOST_LOOKS = 3
STRONG_V = 10e-3  # heard on any band that is alive at all
LEAST_LEVEL_V, MOST_LEVEL_V = 1e-6, 0.1
DEPTH, TONE_HZ = 0.3, 400.0
SETTLE_S, AVERAGED = 0.35, 4
IMAGE_BESIDE_HZ = (-3e3, -1.5e3, 0.0, 1.5e3, 3e3)  # about where the image should be: the strip is rarely quite where it should be
REST_S = 0.6  # six times a meter's averaging


class Scan(NamedTuple):
    """Readings of a meter over frequency: N hertz, rising, and N volts."""

    frequencies_hz: list[float]
    volts: list[float]


class Heard(NamedTuple):
    """Whether a band is heard from the generator, the level (V) for the wanted output, None where none gives it, and the pointer (Hz)."""

    alive: bool
    level_v: float | None
    pointer_hz: float | None


class Image(NamedTuple):
    """Levels (V) that give the same output at the signal and at its image; image_v None where not even most_v gives it."""

    signal_v: float
    image_v: float | None
    most_v: float


def scan(meters: Meters, winding: str, *, centre_hz: float, held_f: float = 0.0) -> Scan:
    """Step the generator over the place where a winding should resonate, and read what comes through it; then closer, about the dip.

    held_f: a capacitor held across it. Where the lowest reading is the first or the last, it is gone after.
    Raises FieldsRefused, InstrumentError.
    """
    found: dict[float, float] = {}
    with meters.together(), _left_as_found(meters) as generator:
        meter = meters.multimeter
        if meters.practice:
            meters.practice.feed_through(winding, clamped_f=held_f)
        generator.set_amplitude_modulation(depth=0.0, tone_hz=TONE_HZ)
        generator.set_level(SCAN_LEVEL_V)
        generator.set_output(True)

        def look(frequencies: list[float]) -> None:
            for f in frequencies:
                generator.set_frequency(f)
                found[f] = max(meter.volts(), LEAST_READ_V)

        looking = first_look(centre_hz)
        for _ in range(MOST_LOOKS):
            look(looking)
            low, high, lowest = min(found), max(found), min(found, key=found.__getitem__)
            if low < lowest < high:
                look(closer_look(lowest, seen=sorted(found)))
                break
            looking = [f for f in first_look(lowest) if not low <= f <= high]
    return Scan(sorted(found), [found[f] for f in sorted(found)])


def hear(meters: Meters, band: Band, *, dial_hz: float, point: str, wanted_v: float) -> Heard:
    """Give the aerial a modulated signal at a mark of a band, and find out whether it is heard and which level gives wanted_v.

    A practice set is switched to the band and tuned in; a real one has been by a person. Raises FieldsRefused, InstrumentError.
    """
    with meters.together():
        if meters.practice and meters.practice.share() == 0.0:
            raise FieldsRefused({"value": "The set is off: switch it on by its safe start, and let it warm."})
    with at_the_aerial(meters, band, dial_hz=dial_hz, point=point) as (generator, pointer_hz):
        with_tone_v = settled(meters)
        generator.set_amplitude_modulation(depth=0.0, tone_hz=TONE_HZ)
        if not level_search.is_alive(with_tone_v=with_tone_v, without_v=settled(meters)):
            return Heard(False, None, pointer_hz)
        generator.set_amplitude_modulation(depth=DEPTH, tone_hz=TONE_HZ)
        level_v = level_for(meters, generator, Tried(STRONG_V, with_tone_v), wanted_v=wanted_v)
    return Heard(True, level_v, pointer_hz)


def image(meters: Meters, band: Band, *, dial_hz: float, image_hz: float, point: str, wanted_v: float) -> Image:
    """Find the levels that give wanted_v at a signal and at its image, the set tuned to the signal; the image where it is strongest.

    A practice set is switched to the band and tuned in; a real one has been by a person. Raises FieldsRefused, InstrumentError.
    """
    with at_the_aerial(meters, band, dial_hz=dial_hz, point=point) as (generator, _):
        signal_v = level_for(meters, generator, Tried(STRONG_V, settled(meters)), wanted_v=wanted_v)
        if signal_v is None:
            raise FieldsRefused({"image": f"The signal itself does not give the standard output on {band.name}: find out why first."})
        others_hz = [image_hz + d for d in IMAGE_BESIDE_HZ]
        return Image(signal_v, level_at_loudest(meters, generator, others_hz, wanted_v=wanted_v), MOST_LEVEL_V)


def level_at_loudest(meters: Meters, generator: Generator, frequencies_hz: Sequence[float], *, wanted_v: float) -> float | None:
    """The level that gives wanted_v at the loudest of some frequencies; None where the strongest gives it at none."""
    level_v, at_hz = MOST_LEVEL_V, 0.0
    # Gain control makes strong signals equally loud: which is the loudest is seen again at the level that was found.
    for _ in range(MOST_LOOKS):
        heard: dict[float, float] = {}
        generator.set_level(level_v)
        for f in frequencies_hz:
            generator.set_frequency(f)
            heard[f] = settled(meters)
        loudest_hz = max(heard, key=heard.__getitem__)
        if not at_hz and heard[loudest_hz] < wanted_v:
            return None
        if loudest_hz == at_hz:
            break
        at_hz = loudest_hz
        generator.set_frequency(at_hz)
        found_v = level_for(meters, generator, Tried(level_v, heard[at_hz]), wanted_v=wanted_v)
        if found_v is None:
            return None
        level_v = found_v
    return level_v


def level_for(meters: Meters, generator: Generator, first: Tried, *, wanted_v: float) -> float | None:
    """The level that gives wanted_v where the generator stands; None where none does."""
    tried = [first]
    # One reading that had not come to rest leads a search astray: that no level gives it is said when two searches found none.
    for _ in range(2):
        while level := level_search.next_level(tried, wanted_v=wanted_v, least_v=LEAST_LEVEL_V, most_v=MOST_LEVEL_V):
            generator.set_level(level)
            tried.append(Tried(level, settled(meters)))
        if (level_v := level_search.found(tried, wanted_v=wanted_v)) is not None:
            return level_v
        tried.clear()
    return None


@contextmanager
def at_the_aerial(meters: Meters, band: Band, *, dial_hz: float, point: str) -> Iterator[tuple[Generator, float | None]]:
    """A strong modulated signal at a mark of a band, a practice set tuned in to it; and where its pointer then stands (Hz)."""
    with meters.together():
        practice = meters.practice
        meters.output_v()  # none there is said before anything is set
        with _left_as_found(meters) as generator, _clipped(practice, point):
            if practice:
                practice.select_band(band.id)
            generator.set_frequency(dial_hz)
            generator.set_level(STRONG_V)
            generator.set_amplitude_modulation(depth=DEPTH, tone_hz=TONE_HZ)
            generator.set_output(True)
            yield generator, practice.tune_in(dial_hz) if practice else None


def sweep_oscillator(meters: Meters, band: Band, *, dial_hz: Sequence[float], loop: str) -> list[tuple[float, float, float]]:
    """Read the oscillator by a loose loop with the pointer at each of these places: dial, hertz (0 where nothing runs), volts peak to peak.

    On a practice set only: on a real one nobody turns the dial but a person. Raises FieldsRefused, InstrumentError.
    """
    out = []
    with meters.together():
        practice = meters.practice
        if practice is None:
            raise FieldsRefused(
                {"coverage": "There is no practice set on this bench: type what the counter shows at each place of the dial."}
            )
        counter, scope = meters.counter, meters.oscilloscope
        for instrument in ("counter", "oscilloscope1"):
            practice.clip(instrument, loop)
        practice.select_band(band.id)
        for f in dial_hz:
            practice.point(f)
            hertz = counter.hertz()
            out.append((f, hertz, scope.peak_to_peak() if hertz > 0.0 else 0.0))
    return out


def settled(meters: Meters) -> float:
    """The reading once the meter has come to rest, averaged over a few."""
    meters.output_v()
    meters.rest(SETTLE_S)
    return sum(meters.output_v() for _ in range(AVERAGED)) / AVERAGED


@contextmanager
def _clipped(practice: PracticeSet | None, point: str) -> Iterator[None]:
    """The generator's lead of a practice set at a point, and back where it was afterwards."""
    if practice is None:
        yield
        return
    before = practice.lead()
    practice.clip_lead(point)
    try:
        yield
    finally:
        practice.clip_lead(before)


@contextmanager
def _left_as_found(meters: Meters) -> Iterator[Generator]:
    generator = meters.generator
    before = generator.state()
    try:
        yield generator
    finally:
        generator.set_output(before.output_on)
        generator.set_level(before.level_v)
        generator.set_frequency(before.frequency_hz)
        generator.set_amplitude_modulation(depth=before.depth, tone_hz=TONE_HZ)
        meters.rest(REST_S)  # whoever reads next is not to read what is left of ours
