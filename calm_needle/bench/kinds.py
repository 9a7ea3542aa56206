"""The kinds of instrument, each spelled once: what it is called, its driver, how it is recognised, what it can set and read."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from calm_needle.bench.counter import Counter
from calm_needle.bench.ears import Ears
from calm_needle.bench.generator import Generator
from calm_needle.bench.instrument import Instrument
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.oscilloscope import Oscilloscope
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import Transport
from calm_needle.core.scpi import read_number
from calm_needle.errors import InstrumentNonsense, InstrumentSilent


@dataclass(frozen=True)
class InstrumentKind:
    """A kind of instrument.

    name: as it is written in a list; `driver.name` is how a sentence calls it. short: its name where there is little room.
    proof: the question that only such an instrument answers with a number, or what its identity holds. sets: the kinds of
    setting it can be set to. reads: what it measures of the quantities a step may watch, by unit. live: it is worked all the time.
    hears: it hears the output and has no probe; whoever switched it on wants to be led by it.
    """

    id: str
    name: str
    short: str
    driver: type[Instrument]
    proof: str = ""
    identity: str = ""
    sets: tuple[str, ...] = ()
    reads: Mapping[str, Callable[[Any], float]] = field(default_factory=dict)
    live: bool = False
    hears: bool = False


# In the order in which they are asked: a counter also answers FREQ?, and a meter of many kinds answers alternating volts.
KINDS: dict[str, InstrumentKind] = {
    k.id: k
    for k in (
        InstrumentKind("practice-set", "Practice set", "set", PracticeSet, identity="Practice set",
                       sets=("lead", "band", "dial", "control"), live=True),
        InstrumentKind("generator", "Generator", "generator", Generator, "OUTP?", sets=("frequency", "level", "modulation"), live=True),
        InstrumentKind("lcr-meter", "LCR meter", "LCR", LcrMeter, "MEAS:IND?"),
        InstrumentKind("multimeter", "Multimeter", "multimeter", Multimeter, "MEAS:VOLT:DC?", reads={"V": Multimeter.alternating_volts}),
        InstrumentKind("oscilloscope", "Oscilloscope", "scope", Oscilloscope, "SWE:TIME?", reads={"Vpp": Oscilloscope.peak_to_peak}),
        InstrumentKind("ac-millivoltmeter", "A.c. millivoltmeter", "meter", Millivoltmeter, "MEAS:VOLT:AC?",
                       reads={"V": Millivoltmeter.volts}, live=True),
        InstrumentKind("ears", "Ears", "ears", Ears, reads={"V": Ears.volts, "dB": Ears.decibels, "Hz": Ears.hertz}, live=True, hears=True),
        InstrumentKind("counter", "Counter", "counter", Counter, "MEAS:FREQ?", reads={"Hz": Counter.hertz}),
    )
}  # fmt: skip
# As lists show them.
LISTED = ("generator", "ac-millivoltmeter", "multimeter", "lcr-meter", "counter", "oscilloscope", "practice-set")
STATE_WORDS = {"absent": "absent", "ready": "ready", "lost": "not there", "silent": "does not answer", "odd": "answers oddly"}


def identify(transport: Transport, *, said_to_be: str = "") -> tuple[str, str]:
    """Return the kind of the instrument at the other end, and what it calls itself.

    It is asked what it can do; said_to_be: the kind that a person says it is, which settles it.
    Raises InstrumentGone or InstrumentSilent when it does not answer, InstrumentNonsense when it is none that is known.
    """
    identity = transport.query("*IDN?")
    if said_to_be in KINDS:
        return said_to_be, identity
    for kind in KINDS.values():
        if kind.identity and kind.identity in identity:
            return kind.id, identity
    for kind in KINDS.values():
        if kind.proof and _answers(transport, kind.proof):
            return kind.id, identity
    raise InstrumentNonsense("instrument", "*IDN?", identity)


def _answers(transport: Transport, question: str) -> bool:
    try:
        read_number(transport.query(question), over_range=True)
    except (ValueError, InstrumentSilent):
        return False
    return True
