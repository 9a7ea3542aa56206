"""Which driver fits an instrument: found out from what it answers, not from what somebody says it is."""

from calm_needle.bench.generator import Generator
from calm_needle.bench.instrument import Instrument
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import Transport
from calm_needle.core.scpi import read_number
from calm_needle.errors import InstrumentNonsense, InstrumentSilent

# Asked in this order; the first question that is answered with a number settles it.
QUESTIONS: tuple[tuple[str, type[Instrument]], ...] = (("FREQ?", Generator), ("MEAS:VOLT:AC?", Millivoltmeter))
KINDS: dict[str, type[Instrument]] = {
    "generator": Generator,
    "ac-millivoltmeter": Millivoltmeter,
    "practice-set": PracticeSet,
}


def identify(transport: Transport) -> tuple[str, str]:
    """Return the kind of the instrument at the other end, and what it calls itself.

    Raises InstrumentGone or InstrumentSilent when it does not answer, InstrumentNonsense when it is none that is known.
    """
    identity = transport.query("*IDN?")
    if "Practice set" in identity:
        return "practice-set", identity
    for question, driver in QUESTIONS:
        try:
            read_number(transport.query(question))
        except (ValueError, InstrumentSilent):
            continue
        return next(kind for kind, d in KINDS.items() if d is driver), identity
    raise InstrumentNonsense("instrument", "*IDN?", identity)
