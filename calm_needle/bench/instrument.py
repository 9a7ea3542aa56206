"""What every driver does: ask, check the answer, and look into the instrument's error queue after each setting and each measurement."""

import math

from calm_needle.bench.transport import Transport
from calm_needle.core.plausible import MOST_BELIEVABLE, MOST_OF_ALL
from calm_needle.core.scpi import error_in_words, is_not_a_number, read_error, read_number
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

    def in_step(self) -> None:
        """Get its error queue, which only an instrument answers whose answers belong to their questions. Raises InstrumentError else."""
        self._look_for_errors("SYST:ERR?")

    def unit(self, wanted: str) -> str:
        """Get the unit in which it answers where one is wanted: the same, but of an instrument that has not been told its volts."""
        return wanted

    def close(self) -> None:
        """Let go of the connection; it is opened again when the instrument is next used."""
        self._transport.close()

    def _set(self, line: str) -> None:
        """Send a setting, and raise InstrumentRefused if the error queue has something to say about it."""
        self._transport.write(line)
        self._look_for_errors(line)

    def _look_for_errors(self, line: str) -> None:
        refusal: tuple[int, str] | None = None
        for _ in range(MOST_QUEUED_ERRORS):
            reply = self._transport.query("SYST:ERR?")
            try:
                code, words = read_error(reply)
            except ValueError:
                raise InstrumentNonsense(self.name, "SYST:ERR?", reply) from None
            if code == 0:
                break
            refusal = refusal or (code, words)
        if refusal:
            raise InstrumentRefused(self.name, line, f"{refusal[1]} ({refusal[0]})", why=error_in_words(*refusal))

    def _number(self, line: str, unit: str = "") -> float:
        reply = self._transport.query(line)
        try:
            value = read_number(reply)
        except ValueError:
            raise InstrumentNonsense(self.name, line, reply) from None
        if abs(value) > MOST_BELIEVABLE.get(unit, MOST_OF_ALL):
            raise InstrumentNonsense(self.name, line, reply)
        return value

    def _measured(self, line: str, unit: str) -> float:
        """A number, and then the error queue: one whose answers lag behind the questions is found out before its number is used."""
        value = self._number(line, unit)
        self._look_for_errors(line)
        return value

    def _number_or_over(self, line: str, unit: str) -> float:
        """A number that may be SCPI's infinity: over the range is an answer of an ohmmeter, not nonsense. Never negative."""
        reply = self._transport.query(line)
        try:
            value = read_number(reply, over_range=True)
        except ValueError:
            if is_not_a_number(reply):
                self._look_for_errors(line)
            raise InstrumentNonsense(self.name, line, reply) from None
        if value < 0 or MOST_BELIEVABLE.get(unit, MOST_OF_ALL) < value < math.inf:
            raise InstrumentNonsense(self.name, line, reply)
        return value
