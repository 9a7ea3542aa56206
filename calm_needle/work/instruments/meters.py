"""The instruments that are asked now and then: multimeter and LCR meter; and for a sounding the generator and the output meter too.

With a practice set the program puts the probes where the page asks; on a real one the person has put them there.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from calm_needle.bench.counter import Counter
from calm_needle.bench.generator import Generator
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.oscilloscope import Oscilloscope
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.core.dossier.model import Watched
from calm_needle.core.physics.heard import Heard
from calm_needle.core.physics.listening import HEARD_S
from calm_needle.errors import FieldsRefused
from calm_needle.work.instruments.equipment import NO_METER, Equipment

OUTPUT = Watched("audio volts", "V", "at the output")


class Found(NamedTuple):
    """A value with the unit it is in, and the instrument that gave it."""

    value: float
    unit: str
    instrument: str


class Meters:
    """Questions to the bench. Every one raises InstrumentError in words, or FieldsRefused where there is no such meter."""

    def __init__(self, equipment: Equipment) -> None:
        self._equipment = equipment
        self._lock = equipment.lock  # probes and reading together

    @contextmanager
    def together(self) -> Iterator[None]:
        """Have the instruments to oneself for several readings that belong together."""
        with self._equipment.lease():
            yield

    def rest(self, seconds: float) -> None:
        """Wait for something to come to rest."""
        self._equipment.rest(seconds)

    @property
    def practice(self) -> PracticeSet | None:
        """The practice set whose power, clock and parts can be reached, or None on a real bench."""
        return self._equipment.practice

    @property
    def generator(self) -> Generator:
        return self._equipment.of(Generator)

    def output_v(self) -> float:
        """Measure the alternating volts at the loudspeaker, all that stands there: of what is heard, too."""
        if self._equipment.by_ear:
            return self._equipment.ears.all_volts()
        read = self._equipment.read(OUTPUT)
        if read is None:
            raise FieldsRefused({"value": NO_METER.format("a.c. millivoltmeter")})
        return read.quantity.value

    def heard(self) -> Heard | None:
        """Measure all that is heard, where the ears are the meter; None where they are not."""
        if not self._equipment.by_ear:
            return None
        self.rest(HEARD_S)  # what was heard before the last setting is out of it then
        return self._equipment.ears.hear()

    @property
    def counter(self) -> Counter:
        return self._equipment.of(Counter)

    @property
    def oscilloscope(self) -> Oscilloscope:
        return self._equipment.of(Oscilloscope)

    @property
    def multimeter(self) -> Multimeter:
        return self._equipment.of(Multimeter)

    def volts(self, point: str) -> Found:
        """Measure the direct volts at a test point."""
        with self._lock:
            meter = self.multimeter
            self._probe(point)
            return Found(meter.volts(), "V", meter.name)

    def amperes(self) -> Found:
        """Measure the alternating amperes that the set draws."""
        with self._lock:
            meter = self.multimeter
            return Found(meter.amperes(), "A", meter.name)

    def part(self, part: str, *, kind: str, in_circuit: bool) -> Found:
        """Measure a part by the meter that fits its kind: farads for a capacitor, ohms for the others."""
        with self._lock:
            if kind == "device":
                raise FieldsRefused({"value": "Emission is read on a valve tester; type what it shows."})
            self._probe(part, lifted=not in_circuit)
            if kind == "capacitor":
                lcr = self._equipment.of(LcrMeter)
                return Found(lcr.farads(), "F", lcr.name)
            meter = self.multimeter
            return Found(meter.ohms(), "Ω", meter.name)

    def henries(self, part: str) -> Found:
        """Measure the inductance of a winding, one end lifted."""
        with self._lock:
            lcr = self._equipment.of(LcrMeter)
            self._probe(part)
            return Found(lcr.henries(), "H", lcr.name)

    def farads(self, part: str) -> Found:
        """Measure the capacitance across a part, one end lifted."""
        with self._lock:
            lcr = self._equipment.of(LcrMeter)
            self._probe(part)
            return Found(lcr.farads(), "F", lcr.name)

    def _probe(self, at: str, *, lifted: bool = True) -> None:
        if self.practice:
            self.practice.probe(at, lifted=lifted)
