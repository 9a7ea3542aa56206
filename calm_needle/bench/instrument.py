"""What every driver does: ask, check the answer, and look into the instrument's error queue after each setting."""

from calm_needle.bench.transport import Transport
from calm_needle.core.scpi import read_error, read_number
from calm_needle.errors import InstrumentNonsense, InstrumentRefused

MOST_QUEUED_ERRORS = 20


class Instrument:
    """An instrument behind a transport. `name` is how the bench page calls it."""

    name = "instrument"

    def __init__(self, transport: Transport) -> None:
        self._transport = transport

    def identity(self) -> str:
        """Get what the instrument answers to *IDN?."""
        return self._transport.query("*IDN?")

    def close(self) -> None:
        """Let go of the connection; it is opened again when the instrument is next used."""
        self._transport.close()

    def _set(self, line: str) -> None:
        """Send a setting, and raise InstrumentRefused if the error queue has something to say about it."""
        self._transport.write(line)
        self._look_for_errors(line)

    def _look_for_errors(self, line: str) -> None:
        refusal = None
        for _ in range(MOST_QUEUED_ERRORS):
            reply = self._transport.query("SYST:ERR?")
            try:
                code, words = read_error(reply)
            except ValueError:
                raise InstrumentNonsense(self.name, "SYST:ERR?", reply) from None
            if code == 0:
                break
            refusal = refusal or f"{words} (SCPI {code})"
        if refusal:
            raise InstrumentRefused(self.name, line, refusal)

    def _number(self, line: str) -> float:
        reply = self._transport.query(line)
        try:
            return read_number(reply)
        except ValueError:
            raise InstrumentNonsense(self.name, line, reply) from None

    def _number_or_over(self, line: str) -> float:
        """A number that may be SCPI's infinity: over the range is an answer of an ohmmeter, not nonsense."""
        reply = self._transport.query(line)
        try:
            value = float(reply)
        except ValueError:
            raise InstrumentNonsense(self.name, line, reply) from None
        if value != value or value < 0:
            raise InstrumentNonsense(self.name, line, reply)
        return value
