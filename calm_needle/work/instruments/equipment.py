"""The instruments on the bench: the one owner of every link, for some instruments allow but one client.

Whoever works them does it through here: the thread that reads the needle, the soundings that need generator and meter together,
and what a person asks of a meter. `lease` has the others stand aside meanwhile.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Literal, NamedTuple, Protocol, TypeVar, cast

from calm_needle.bench.described import DescribedLink
from calm_needle.bench.ears import Ears
from calm_needle.bench.generator import Generator
from calm_needle.bench.instrument import Instrument
from calm_needle.bench.kinds import KINDS, LISTED, STATE_WORDS, identify
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import USUAL_LINE, VisaTransport, Wire
from calm_needle.clock import SYSTEM, Clock, Event
from calm_needle.core.description import READS, Description, Line
from calm_needle.core.dossier.model import Watched
from calm_needle.core.procedure.set_up import Setting
from calm_needle.core.quantities import Quantity
from calm_needle.errors import FieldsRefused, InstrumentError, InstrumentGone, InstrumentNonsense, InstrumentSilent

__all__ = ["KINDS", "LISTED", "STATE_WORDS", "Equipment", "LinkState", "Read", "find_out"]

LinkStateName = Literal["absent", "ready", "lost", "silent", "odd"]
LEVEL_SLACK, FREQUENCY_SLACK_HZ = 0.01, 1.0
NO_METER = "There is no {} on this bench. Add it on the instruments’ page, or read it by eye and type what it shows."
EARS = "ears"
AUDIBLE = ("beat",)  # quantities that are heard at the output, wherever else a probe may find them
# Instruments that look at a test point, and the probe of the practice set that is theirs.
PROBED = {"counter": "counter", "oscilloscope": "oscilloscope1"}
Driver = TypeVar("Driver", bound=Instrument)


class Links(Protocol):
    """What opens the link to an instrument by its resource name: VISA, or what stands in for it."""

    def __call__(self, resource: str, *, name: str, line: Line = USUAL_LINE) -> Wire: ...


@dataclass(frozen=True)
class LinkState:
    """How an instrument is doing, and the sentence for the page."""

    kind: str
    state: LinkStateName
    words: str


class Read(NamedTuple):
    """What was read, and by which instrument; how long ago it was so (s)."""

    quantity: Quantity
    instrument: str
    ago_s: float = 0.0


class Equipment:
    """The instruments that are connected, by kind. Safe between threads."""

    def __init__(self, *, clock: Clock = SYSTEM, links: Links = VisaTransport) -> None:
        self.clock, self._open_link = clock, links
        self.lock = clock.lock()  # two lines that belong together: a probe put on and the reading, a turn and the reading
        self._lease = clock.lock()
        self._links: dict[str, Wire] = {}  # by resource
        self._drivers: dict[str, Instrument] = {}
        self._states: dict[str, LinkState] = {}
        self.ears = Ears(clock=clock)  # which a page opens; one of the instruments while somebody wants to be led by it
        self._by_ear = False

    # Which there are.

    def connect(self, resources: dict[str, str], descriptions: Mapping[str, Description] | None = None) -> None:
        """Use these instruments (kind to VISA resource) from now on. Two kinds at one resource share its link.

        descriptions: of those that are described instead of programmed, by kind.
        """
        described = descriptions or {}
        with self.lock:
            self.close()
            names = {resource: KINDS[kind].driver.name for kind, resource in reversed(resources.items()) if kind in KINDS}
            lines = {resources[k]: d.line for k, d in described.items() if k in resources}
            self._links = {r: self._open_link(r, name=name, line=lines.get(r, USUAL_LINE)) for r, name in names.items()}
            self._drivers = {}
            for kind, resource in resources.items():
                link = self._links.get(resource)
                if kind in KINDS and link:
                    spoken = DescribedLink(link, described[kind], clock=self.clock) if kind in described else link
                    self._drivers[kind] = KINDS[kind].driver(spoken)
            if self._by_ear:
                self._drivers[EARS] = self.ears
            self._states = {k: LinkState(k, "lost", "being connected") for k in self._live()}

    @property
    def by_ear(self) -> bool:
        """Whether the ears are the meter at the output."""
        return self._by_ear

    def listen(self, on: bool) -> None:
        """Let the ears be the meter at the output, or no longer."""
        with self.lock:
            self._by_ear = on
            self._drivers.pop(EARS, None)
            self._states.pop(EARS, None)
            if on:
                self._drivers[EARS] = self.ears
                self._states[EARS] = LinkState(EARS, "lost", "being connected")

    def close(self) -> None:
        """Let go of the instruments."""
        with self.lock:
            for link in self._links.values():
                link.close()
            self._links, self._drivers, self._states = {}, {}, {}

    def _live(self) -> list[str]:
        """The kinds that are worked all the time: those of the table, and whatever stands in for the meter at the output."""
        live = [k for k in self._drivers if KINDS[k].live]
        if "ac-millivoltmeter" not in self._drivers and "multimeter" in self._drivers:
            live.append("multimeter")
        return live

    @property
    def states(self) -> list[LinkState]:
        """How the instruments are that are worked all the time."""
        return list(self._states.values())

    def has(self, kind: str) -> bool:
        return kind in self._drivers

    def of(self, driver: type[Driver]) -> Driver:
        """Return the instrument of that driver. Raises FieldsRefused where there is none."""
        found = next((d for d in self._drivers.values() if isinstance(d, driver)), None)
        if found is None:
            raise FieldsRefused({"value": NO_METER.format(driver.name)})
        return found

    @property
    def practice(self) -> PracticeSet | None:
        """The practice set whose adjusters, power and parts can be reached, or None on a real bench."""
        return cast(PracticeSet | None, self._drivers.get("practice-set"))

    @property
    def generator(self) -> Generator | None:
        return cast(Generator | None, self._drivers.get("generator"))

    def meter(self, watched: Watched | None) -> tuple[Instrument, str] | None:
        """Return the instrument that reads what a step watches, and its kind: the one that the dossier names, or any that can."""
        unit = watched.unit if watched and watched.unit != "dB" else "V"
        heard = watched is None or (watched.quantity in AUDIBLE if unit == "Hz" else not watched.point)
        fitting = [k for k in self._drivers if unit in KINDS[k].reads and (heard or not KINDS[k].hears)]
        if not fitting:
            return None
        wanted = watched.instrument if watched else ""
        kind = min(fitting, key=lambda k: (not KINDS[k].hears, k != wanted, not KINDS[k].live))
        return self._drivers[kind], kind

    # Working them.

    @contextmanager
    def lease(self) -> Iterator[None]:
        """Have the instruments to oneself for several readings that belong together; the thread at the needle stands aside."""
        with self._lease, self.lock:
            yield

    @contextmanager
    def turn(self) -> Iterator[None]:
        """One round of whoever works them, between two leases of others: the thread at the needle, or somebody who sets them anew."""
        with self._lease:
            yield

    def rest(self, seconds: float, *, until: Event | None = None) -> None:
        """Wait for something to come to rest. What is heard comes later than what is: by the ears it takes longer."""
        self.clock.wait(seconds + (self.ears.later_s if self._by_ear else 0.0), until=until)

    def apply(self, wanted: Sequence[Setting]) -> None:
        """Set what can be set by itself, and read it back. Raises InstrumentError in words; nothing counts as set then."""
        with self.lock:
            generator, practice = self.generator, self.practice
            if generator and (given := _generator_settings(wanted)):
                frequency, level, modulation = given
                generator.set_frequency(frequency)
                generator.set_level(level)
                generator.set_modulation(modulation)
                generator.set_output(True)
                if not self._as_set(wanted):
                    raise InstrumentNonsense(generator.name, "FREQ?", "another setting than it was just given")
            if practice:
                _stand(practice, wanted)

    def as_set(self, wanted: Sequence[Setting]) -> bool:
        """Whether the generator still stands as it was set. Raises InstrumentError."""
        with self.lock:
            return self._as_set(wanted)

    def _as_set(self, wanted: Sequence[Setting]) -> bool:
        generator, given = self.generator, _generator_settings(wanted)
        if generator is None or given is None:
            return True
        frequency, level, _ = given
        found = generator.state()
        near = abs(found.frequency_hz - frequency) <= FREQUENCY_SLACK_HZ and abs(found.level_v / level - 1.0) <= LEVEL_SLACK
        return near and found.output_on

    def read(self, watched: Watched | None) -> Read | None:
        """Return what is read of what a step watches; None where no instrument here can. Raises InstrumentError."""
        found = self.meter(watched)
        if found is None:
            return None
        instrument, kind = found
        unit = instrument.unit(watched.unit if watched and watched.unit in KINDS[kind].reads else "V")
        with self.lock:
            ago_s = self.ears.later_s if KINDS[kind].hears else 0.0
            return Read(Quantity(KINDS[kind].reads[unit](instrument), unit), instrument.name, ago_s)

    def greet(self) -> list[str]:
        """Take up what was lost, and return the kinds that have come back. Raises the first InstrumentError of those that have not.

        When one is lost all are asked: they may hang on one plug.
        """
        if all(s.state == "ready" for s in self._states.values()):
            return []
        fault: InstrumentError | None = None
        back = []
        for kind, known in list(self._states.items()):
            try:
                with self.lock:
                    words = self._drivers[kind].identity()
            except InstrumentError as trouble:
                self.note(trouble, kind)
                fault = fault or trouble
                continue
            if known.state != "ready":
                back.append(kind)
            self._states[kind] = LinkState(kind, "ready", words)
        if fault:
            raise fault
        return back

    def note(self, fault: InstrumentError, kind: str | None = None) -> str | None:
        """Keep what happened to an instrument as its state; return its kind, or None for one that is not worked all the time."""
        lost = kind or next((k for k, d in self._drivers.items() if d.name == fault.instrument and k in self._states), None)
        if lost is None or lost not in self._states:
            return None
        name: LinkStateName = "lost" if isinstance(fault, InstrumentGone) else "silent" if isinstance(fault, InstrumentSilent) else "odd"
        self._states[lost] = LinkState(lost, name, str(fault))
        return lost

    def leave_safe(self) -> None:
        """Switch the generator's output off, if it still answers."""
        state = self._states.get("generator")
        if self.generator and state and state.state == "ready":
            with suppress(InstrumentError), self.lock:  # it is gone already, and so is its signal
                self.generator.set_output(False)


def _stand(practice: PracticeSet, wanted: Sequence[Setting]) -> None:
    """Let a practice set stand as a step wants it: band, pointer, switches, the generator's lead, the probes of other instruments."""
    bands = practice.bands()
    for s in wanted:
        value = s.value
        match s.kind:
            case "lead":
                practice.clip_lead(value[0])
            case "band" if value in bands:
                practice.select_band(value)
            case "dial" if bands:
                practice.point(value, come_from=s.come_from)
            case "cover":
                practice.cover(on=value == "on")
            case "control":
                practice.switch(str(value[0]), str(value[1]))
            case "watched" if value[2] in PROBED and value[3]:
                practice.clip(PROBED[value[2]], value[3])


def try_out(resource: str, description: Description) -> str:
    """Return how an instrument calls itself by a description, once all that it can be asked was read. Raises InstrumentError."""
    wire = VisaTransport(resource, name=description.name, line=description.line)
    link = DescribedLink(wire, description)
    try:
        for quantity in READS[description.kind]:
            if quantity.name in description.reads:
                link.query(quantity.scpi)
        return link.query("*IDN?")
    finally:
        link.close()


def send_once(resource: str, line: Line, send: str) -> str:
    """Return what an instrument answers to a line, as it is; what it sends by itself where there is none. Raises InstrumentError."""
    wire = VisaTransport(resource, name="instrument", line=line)
    try:
        return wire.query(send) if send else wire.listen()
    finally:
        wire.close()


def find_out(resource: str, *, said_to_be: str = "") -> tuple[str, str]:
    """Return kind and identity of the instrument at a VISA resource name. Raises InstrumentError in words."""
    transport = VisaTransport(resource, name="instrument")
    try:
        found = identify(transport, said_to_be=said_to_be)
        transport.write("*CLS")  # its queue holds what it was asked that it does not know
        return found
    finally:
        transport.close()


def _generator_settings(wanted: Sequence[Setting]) -> tuple[float, float, tuple[str, float, float, float]] | None:
    """Frequency (Hz), level (V) and modulation that a step wants; None where it wants no generator."""
    values = {s.kind: s.value for s in wanted}
    if "frequency" not in values:
        return None
    return values["frequency"], values["level"], values["modulation"]
