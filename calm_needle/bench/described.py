"""An instrument that was described instead of programmed, behind the line that every driver speaks.

An adapter: the drivers here speak SCPI, and this turns each of their lines into what the description says, and what comes back into the
number that they expect. So whatever a description fits is worked like any other instrument of its kind. Where it cannot be asked how it
stands, it is taken to stand as it was last told, and says so in its identity.
"""

import math
import threading

from calm_needle.bench.transport import Wire
from calm_needle.clock import SYSTEM, Clock
from calm_needle.core.description import READS, SETS, SWITCHES, Description, Quantity, Read, number_in
from calm_needle.errors import InstrumentNonsense, InstrumentRefused, OutOfRange

NO_ERROR = '0,"No error"'
OVER_RANGE = "9.9E37"
ON = {"OUTP?": "OUTP ON", "AM:STAT?": "AM:STAT ON"}
UNASKED = {"OUTP?": "1", "AM:STAT?": "0", "AM:DEPT?": "0"}  # of what cannot be told at all: an output without a switch is on


class DescribedLink:
    """A transport (bench.transport.Transport) that speaks as a description says."""

    def __init__(self, wire: Wire, description: Description, *, clock: Clock = SYSTEM) -> None:
        self._wire, self._description, self._clock = wire, description, clock
        kind = description.kind
        self._reads = {q.scpi: description.reads[q.name] for q in READS[kind] if q.name in description.reads}
        self._sets = {q.scpi: description.sets[q.name] for q in SETS.get(kind, ()) if q.name in description.sets}
        self._switches = {q.scpi: description.switches[q.name] for q in SWITCHES.get(kind, ()) if q.name in description.switches}
        self._told: dict[str, str] = {}  # by question: what was told last
        self._lock = threading.Lock()
        self._due_s = 0.0

    @property
    def resource(self) -> str:
        return self._wire.resource

    def write(self, line: str) -> None:
        """Tell a setting, as the description has it; what it does not have is not sent."""
        with self._lock:
            header, _, value = line.partition(" ")
            if line in self._switches:
                self._send(self._switches[line])
            elif header in self._sets:
                try:
                    told = self._sets[header].line(float(value))
                except OutOfRange as fault:  # sent, it would stand elsewhere than every reading says
                    raise InstrumentRefused(self._description.name, line, "", why=str(fault).rstrip(".")) from None
                self._send(told)
            self._told[f"{header}?"] = line if f"{header}?" in ON else value

    def query(self, line: str) -> str:
        """Ask for a number, as the description has it. Raises InstrumentError, InstrumentNonsense where no number is found."""
        with self._lock:
            if line == "SYST:ERR?":
                return NO_ERROR
            if line == "*IDN?":
                return self._identity()
            if line in self._reads:
                return self._number(self._reads[line])
            told = self._told.get(line)
            if told is None and line not in UNASKED:
                raise InstrumentNonsense(self._description.name, line, "nothing: its description does not say how it is asked")
            if line in ON:
                return UNASKED[line] if told is None else "1" if told == ON[line] else "0"
            return UNASKED[line] if told is None else told

    def query_block(self, line: str) -> bytes:
        """Raise InstrumentNonsense: no description has blocks."""
        raise InstrumentNonsense(self._description.name, line, "nothing: its description has no such thing")

    def close(self) -> None:
        self._wire.close()

    def _identity(self) -> str:
        description = self._description
        for first in list(description.reads.values())[:1]:
            self._number(first)  # whoever does not answer is not there
        words = [f"{description.name}, by its description"]
        if not description.reads:
            words.append("it cannot be asked how it stands")
        if by_hand := [q.words for q in (*SETS.get(description.kind, ()), *SWITCHES.get(description.kind, ())) if not self._knows(q)]:
            words.append(f"set by hand: {', '.join(by_hand)}")
        return "; ".join(words)

    def _knows(self, quantity: Quantity) -> bool:
        return quantity.name in self._description.sets or quantity.name in self._description.switches

    def _number(self, read: Read) -> str:
        self._rest()
        answer = self._wire.query(read.send) if read.send else self._wire.listen()
        found = number_in(answer, read)
        if found is None:
            raise InstrumentNonsense(self._description.name, read.send, answer)
        return OVER_RANGE if math.isinf(found.value) else f"{found.value:.12E}"

    def _send(self, line: str) -> None:
        self._rest()
        self._wire.write(line)

    def _rest(self) -> None:
        """Wait until it may be spoken to again."""
        every_s = self._description.line.every_s
        now_s = self._clock.monotonic()
        if now_s < self._due_s:
            self._clock.wait(self._due_s - now_s)
        self._due_s = max(now_s, self._due_s) + every_s
