"""Which driver fits an instrument: found out from what it answers, not from what somebody says it is."""

from calm_needle.bench.generator import Generator
from calm_needle.bench.instrument import Instrument
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import Transport
from calm_needle.errors import InstrumentNonsense, InstrumentSilent

# Asked in this order; the first question that is answered with a number settles it.
# A meter of many kinds answers alternating volts too, so it is asked for ohms before.
QUESTIONS: tuple[tuple[str, type[Instrument]], ...] = (
    ("FREQ?", Generator),
    ("MEAS:IND?", LcrMeter),
    ("MEAS:VOLT:DC?", Multimeter),
    ("MEAS:VOLT:AC?", Millivoltmeter),
)
KINDS: dict[str, type[Instrument]] = {
    "generator": Generator,
    "ac-millivoltmeter": Millivoltmeter,
    "multimeter": Multimeter,
    "lcr-meter": LcrMeter,
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
            float(transport.query(question))  # infinity is an answer too: over the range
        except (ValueError, InstrumentSilent):
            continue
        return next(kind for kind, d in KINDS.items() if d is driver), identity
    raise InstrumentNonsense("instrument", "*IDN?", identity)
