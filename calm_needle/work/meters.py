"""The meters that are asked now and then: multimeter and LCR meter, and a practice set's power, clock and parts.

With a practice set the program puts the probes where the page asks; on a real one the person has put them there.
"""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from calm_needle.bench.generator import Generator
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import VisaTransport
from calm_needle.core.dip_scan import closer_look, first_look
from calm_needle.core.dossier import Adjuster
from calm_needle.core.guided.piece import CorePlace
from calm_needle.errors import FieldsRefused

METERS = ("multimeter", "lcr-meter")
SCAN_LEVEL_V = 0.1
LEAST_READ_V = 1e-6
MOST_LOOKS = 3
AT_ONCE_TURNS, LONGEST_TRAVEL_TURNS, OFF_PLACE = 4.0, 12.0, 0.03
NO_METER = "There is no {} on this bench. Add it on the instruments’ page, or read it by eye and type what it shows."


class Found(NamedTuple):
    """A value with the unit it is in, and the instrument that gave it."""

    value: float
    unit: str
    instrument: str


class Scan(NamedTuple):
    """Readings of a meter over frequency: N hertz, rising, and N volts."""

    frequencies_hz: list[float]
    volts: list[float]


class Meters:
    """The meters of the bench. Every question raises InstrumentError in words, or FieldsRefused where there is no such meter."""

    def __init__(self) -> None:
        self._lock = threading.RLock()  # probes and reading together
        self._multimeter: Multimeter | None = None
        self._lcr: LcrMeter | None = None
        self._practice: PracticeSet | None = None
        self._generator: Generator | None = None

    def connect(self, resources: dict[str, str]) -> None:
        """Use these instruments (kind to VISA resource) from now on."""
        with self._lock:
            self.close()
            links = {k: VisaTransport(r, name=k.replace("-", " ").replace("lcr", "LCR")) for k, r in resources.items()}
            self._multimeter = Multimeter(links["multimeter"]) if "multimeter" in links else None
            self._lcr = LcrMeter(links["lcr-meter"]) if "lcr-meter" in links else None
            self._practice = PracticeSet(links["practice-set"]) if "practice-set" in links else None
            self._generator = Generator(links["generator"]) if "generator" in links else None

    def close(self) -> None:
        """Let go of the instruments."""
        with self._lock:
            for instrument in (self._multimeter, self._lcr, self._practice, self._generator):
                if instrument:
                    instrument.close()

    @property
    def practice(self) -> PracticeSet | None:
        """The practice set whose power, clock and parts can be reached, or None on a real bench."""
        return self._practice

    def volts(self, point: str) -> Found:
        """Measure the direct volts at a test point."""
        with self._lock:
            meter = self._need_multimeter()
            self._probe(point)
            return Found(meter.volts(), "V", meter.name)

    def amperes(self) -> Found:
        """Measure the alternating amperes that the set draws."""
        with self._lock:
            meter = self._need_multimeter()
            return Found(meter.amperes(), "A", meter.name)

    def part(self, part: str, *, kind: str, in_circuit: bool) -> Found:
        """Measure a part by the meter that fits its kind: farads for a capacitor, ohms for the others."""
        with self._lock:
            if kind == "device":
                raise FieldsRefused({"value": "Emission is read on a valve tester; type what it shows."})
            self._probe(part, lifted=not in_circuit)
            if kind == "capacitor":
                lcr = self._need_lcr()
                return Found(lcr.farads(), "F", lcr.name)
            meter = self._need_multimeter()
            return Found(meter.ohms(), "Ω", meter.name)

    def henries(self, part: str) -> Found:
        """Measure the inductance of a winding, one end lifted."""
        with self._lock:
            lcr = self._need_lcr()
            self._probe(part)
            return Found(lcr.henries(), "H", lcr.name)

    def farads(self, part: str) -> Found:
        """Measure the capacitance across a part, one end lifted."""
        with self._lock:
            lcr = self._need_lcr()
            self._probe(part)
            return Found(lcr.farads(), "F", lcr.name)

    def scan(self, winding: str, *, centre_hz: float, held_f: float = 0.0) -> Scan:
        """Step the generator over the place where a winding should resonate, and read what comes through it; then closer, about the dip.

        Where the lowest reading is the first or the last, it is gone after. The generator is left as it was found.
        """
        with self._lock:
            generator, meter = self._need_generator(), self._need_multimeter()
            if self._practice:
                self._practice.feed_through(winding, clamped_f=held_f)
            before = generator.state()
            try:
                generator.set_amplitude_modulation(depth=0.0, tone_hz=400.0)
                generator.set_level(SCAN_LEVEL_V)
                generator.set_output(True)
                found: dict[float, float] = {}
                looking = first_look(centre_hz)
                for _ in range(MOST_LOOKS):
                    found |= {f: _at(generator, meter, f) for f in looking}
                    frequencies = sorted(found)
                    lowest = min(frequencies, key=found.__getitem__)
                    if lowest not in (frequencies[0], frequencies[-1]):
                        found |= {f: _at(generator, meter, f) for f in closer_look(lowest, seen=frequencies)}
                        break
                    looking = [f for f in first_look(lowest) if not frequencies[0] <= f <= frequencies[-1]]
            finally:
                generator.set_output(before.output_on)
                generator.set_level(before.level_v)
                generator.set_frequency(before.frequency_hz)
                generator.set_amplitude_modulation(depth=before.depth, tone_hz=400.0)
            return Scan(sorted(found), [found[f] for f in sorted(found)])

    def travel_percent(self, core: Adjuster) -> float:
        """Get how far along its travel the core of a practice set stands; on a real one it is judged by eye."""
        with self._lock:
            if self._practice is None:
                raise FieldsRefused({"value": "Only a practice set can be asked where its core stands: judge it by eye, and type it."})
            return 100.0 * self._practice.position(core.id).travel

    @contextmanager
    def core_at(self, core: Adjuster | None, place: CorePlace) -> Iterator[None]:
        """Have the core of a practice set out, in or in the middle, and back where it was afterwards; on a real one a person does it."""
        if not place or core is None or self._practice is None:
            yield
            return
        with self._lock:
            began = self._practice.position(core.id)
            try:
                self._move(self._practice, core, place)
                yield
            finally:
                self._turn(self._practice, core.id, began.turns - self._practice.position(core.id).turns)

    def _move(self, practice: PracticeSet, core: Adjuster, place: CorePlace) -> None:
        wanted = {"out": 0.0, "middle": 0.5, "in": 1.0}[place]
        travel = core.travel_turns or LONGEST_TRAVEL_TURNS
        was = practice.position(core.id).travel
        self._turn(practice, core.id, (wanted - was) * travel)
        if abs(practice.position(core.id).travel - wanted) > OFF_PLACE:
            raise FieldsRefused({"value": f"{core.phrase.capitalize()} does not move with the tool: clear its wax first, never force it."})

    @staticmethod
    def _turn(practice: PracticeSet, core: str, turns: float) -> None:
        while abs(turns) > 1e-4:
            step = max(-AT_ONCE_TURNS, min(AT_ONCE_TURNS, turns))
            practice.turn(core, step)
            turns -= step

    def _probe(self, at: str, *, lifted: bool = True) -> None:
        if self._practice:
            self._practice.probe(at, lifted=lifted)

    def _need_multimeter(self) -> Multimeter:
        if self._multimeter is None:
            raise FieldsRefused({"value": NO_METER.format("multimeter")})
        return self._multimeter

    def _need_lcr(self) -> LcrMeter:
        if self._lcr is None:
            raise FieldsRefused({"value": NO_METER.format("LCR meter")})
        return self._lcr

    def _need_generator(self) -> Generator:
        if self._generator is None:
            raise FieldsRefused({"value": NO_METER.format("generator")})
        return self._generator


def _at(generator: Generator, meter: Multimeter, frequency_hz: float) -> float:
    generator.set_frequency(frequency_hz)
    return max(meter.volts(), LEAST_READ_V)
