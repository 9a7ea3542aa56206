"""The instruments that are asked now and then: multimeter and LCR meter; and for a sounding the generator and the output meter too.

With a practice set the program puts the probes where the page asks; on a real one the person has put them there.
"""

import threading
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from typing import NamedTuple

from calm_needle.bench.generator import Generator
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import Transport, VisaTransport
from calm_needle.errors import FieldsRefused

METERS = ("multimeter", "lcr-meter")
NO_METER = "There is no {} on this bench. Add it on the instruments’ page, or read it by eye and type what it shows."


class Found(NamedTuple):
    """A value with the unit it is in, and the instrument that gave it."""

    value: float
    unit: str
    instrument: str


class Meters:
    """The meters of the bench. Every question raises InstrumentError in words, or FieldsRefused where there is no such meter."""

    def __init__(self, *, aside: Callable[[], AbstractContextManager[None]] = nullcontext) -> None:
        """aside: has whoever else works the same instruments stand aside."""
        self._aside = aside
        self._lock = threading.RLock()  # probes and reading together
        self._links: dict[str, Transport] = {}
        self._practice: PracticeSet | None = None

    def connect(self, resources: dict[str, str]) -> None:
        """Use these instruments (kind to VISA resource) from now on."""
        with self._lock:
            self.close()
            self._links = {k: VisaTransport(r, name=k.replace("-", " ").replace("lcr", "LCR")) for k, r in resources.items()}
            self._practice = PracticeSet(self._links["practice-set"]) if "practice-set" in self._links else None

    def close(self) -> None:
        """Let go of the instruments."""
        with self._lock:
            for link in self._links.values():
                link.close()
            self._links, self._practice = {}, None

    @contextmanager
    def together(self) -> Iterator[None]:
        """Have the instruments to oneself for several readings that belong together."""
        with self._aside(), self._lock:
            yield

    @property
    def practice(self) -> PracticeSet | None:
        """The practice set whose power, clock and parts can be reached, or None on a real bench."""
        return self._practice

    @property
    def generator(self) -> Generator:
        return Generator(self._link("generator"))

    @property
    def output(self) -> Millivoltmeter:
        """The meter at the loudspeaker."""
        return Millivoltmeter(self._link("ac-millivoltmeter"))

    @property
    def multimeter(self) -> Multimeter:
        return Multimeter(self._link("multimeter"))

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
                lcr = LcrMeter(self._link("lcr-meter"))
                return Found(lcr.farads(), "F", lcr.name)
            meter = self.multimeter
            return Found(meter.ohms(), "Ω", meter.name)

    def henries(self, part: str) -> Found:
        """Measure the inductance of a winding, one end lifted."""
        with self._lock:
            lcr = LcrMeter(self._link("lcr-meter"))
            self._probe(part)
            return Found(lcr.henries(), "H", lcr.name)

    def farads(self, part: str) -> Found:
        """Measure the capacitance across a part, one end lifted."""
        with self._lock:
            lcr = LcrMeter(self._link("lcr-meter"))
            self._probe(part)
            return Found(lcr.farads(), "F", lcr.name)

    def _probe(self, at: str, *, lifted: bool = True) -> None:
        if self._practice:
            self._practice.probe(at, lifted=lifted)

    def _link(self, kind: str) -> Transport:
        if kind not in self._links:
            raise FieldsRefused({"value": NO_METER.format(kind.replace("-", " ").replace("lcr", "LCR").replace("ac ", "a.c. "))})
        return self._links[kind]
