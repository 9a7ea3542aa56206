"""What every stand-in has: identity, error queue, the status that IEEE 488.2 asks for, and a table of commands.

Anybody's client can talk to it: IEEE 488.2's mandatory common commands (10.*), SCPI-1999's required ones (vol. 1, 4.2.1), long and short
forms, several commands in a line, suffixes, MIN, MAX and DEF; answers of one line are joined by semicolons.
"""

from collections import deque
from collections.abc import Callable
from typing import NamedTuple

from calm_needle.core.scpi import Command, fits, read_number, read_suffixed, split_message

Handler = Callable[[Command], str | None]
UNDEFINED = (-113, "Undefined header")
BAD_DATA = (-104, "Data type error")
MISSING = (-109, "Missing parameter")
NOT_ALLOWED = (-108, "Parameter not allowed")
BAD_SUFFIX = (-131, "Invalid suffix")
OUT_OF_RANGE = (-222, "Data out of range")
OVERFLOW = (-350, "Queue overflow")  # SCPI-1999 vol. 2, 21.8.2: in the place of the last entry, when there is no room
QUEUE_LENGTH = 20
USUAL_PARAMETERS = 1
VERSION = "1999.0"
WITHOUT_PARAMETERS = (
    *("*IDN", "*RST", "*CLS", "*OPC", "*ESR", "*STB", "*TST", "*WAI"),
    *("SYSTem:ERRor[:NEXT]", "SYSTem:ERRor:COUNt", "SYSTem:VERSion", "STATus:PRESet"),
)
# Bits of the standard event status register (IEEE 488.2, 11.5.1) by the hundreds of an error, and of the status byte (11.2.1).
POWER_ON, OPERATION_COMPLETE = 128, 1
EVENT_OF = {1: 32, 2: 16, 3: 8, 4: 4}
QUEUE_BIT, MESSAGE_BIT, EVENT_BIT, MASTER_BIT = 4, 16, 32, 64


class Refusal(Exception):
    """A command that cannot be carried out: SCPI code and words."""

    def __init__(self, code: int, words: str) -> None:
        super().__init__(words)
        self.code, self.words = code, words


class Number(NamedTuple):
    """A setting that is a number: its limits, what *RST makes it, its unit as a suffix writes it, how it is answered."""

    low: float
    high: float
    default: float
    unit: str = ""
    shown: str = ".6E"


class StandIn:
    """An instrument that answers lines. Subclasses fill `commands`: header pattern to handler; or `settle`: header to a number kept."""

    identity = "Tern Rock,Stand-in,0,1"
    changed_by_asking: tuple[str, ...] = ()  # headers whose question changes something

    def __init__(self) -> None:
        # Called before a command that changes something: what an averaging meter shows depends on how things stood until then.
        self.about_to_change: Callable[[], None] = lambda: None
        self._errors: deque[tuple[int, str]] = deque()
        self._events, self._event_mask, self._service_mask = POWER_ON, 0, 0
        self._answering = False  # whether an answer of this line already waits
        # How many parameters a header takes at most, where it is not one.
        none = (
            "*IDN",
            "*RST",
            "*CLS",
            "*OPC",
            "*ESR",
            "*STB",
            "*TST",
            "*WAI",
            "SYSTem:ERRor[:NEXT]",
            "SYSTem:ERRor:COUNt",
            "SYSTem:VERSion",
        )
        self.parameters = dict.fromkeys((*none, "STATus:PRESet"), 0)
        self._understood: dict[tuple[str, str], str] = {}  # the pattern of a command, by what came before it and its header
        self.commands: dict[str, Handler] = {
            "*IDN": lambda _: self.identity,
            "*RST": lambda _: self.reset(),
            "*CLS": lambda _: self._clear(),
            "*OPC": self._complete,
            "*ESR": lambda _: self._read_events(),
            "*ESE": self._mask_events,
            "*SRE": self._mask_service,
            "*STB": lambda _: str(self._status_byte()),
            "*TST": lambda _: "0",
            "*WAI": lambda _: None,
            "SYSTem:ERRor[:NEXT]": lambda _: self._next_error(),
            "SYSTem:ERRor:COUNt": lambda _: str(len(self._errors)),
            "SYSTem:VERSion": lambda _: VERSION,
            "STATus:PRESet": lambda _: None,
        }
        for register in ("OPERation", "QUEStionable"):
            self.commands |= {f"STATus:{register}[:EVENt]": lambda _: "0", f"STATus:{register}:CONDition": lambda _: "0"}
            self.commands[f"STATus:{register}:ENABle"] = _Mask()

    def reset(self) -> None:
        """Go back to the state after switching on."""

    def settle(self, header: str, name: str, number: Number) -> None:
        """Let a header set and answer the attribute `name`, with MIN, MAX and DEF; `changed` is called after each change."""

        def handle(command: Command) -> str | None:
            if command.asks:
                asked = command.arguments[0] if command.arguments else ""
                value = _named(asked, number)
                if asked and value is None:
                    raise Refusal(*BAD_DATA)
                return format(getattr(self, name) if value is None else value, number.shown)
            value = _named(command.arguments[0] if command.arguments else "", number)
            setattr(self, name, number_of(command, low=number.low, high=number.high, unit=number.unit) if value is None else value)
            self.changed()
            return None

        self.commands[header] = handle

    def switch(self, header: str, name: str) -> None:
        """Let a header set and answer an attribute that is on or off."""

        def handle(command: Command) -> str | None:
            if command.asks:
                return "1" if getattr(self, name) else "0"
            setattr(self, name, switch_of(command))
            self.changed()
            return None

        self.commands[header] = handle

    def changed(self) -> None:
        """What follows from a setting that was changed."""

    def answer(self, line: str) -> str | None:
        """Return the answer to one line, or None when it asks nothing; what goes wrong lands in the error queue."""
        replies: list[str] = []
        for command in split_message(line):
            self._answering = bool(replies)
            try:
                handler = self._handler(command)
                if not command.asks or any(fits(pattern, command.header) for pattern in self.changed_by_asking):
                    self.about_to_change()
                reply = handler(command)
            except Refusal as refusal:
                self._put((refusal.code, refusal.words))
                continue
            if command.asks and reply is not None:
                replies.append(reply)
        return ";".join(replies) if replies else None

    def _handler(self, command: Command) -> Handler:
        asked = command.path, command.header
        if (pattern := self._understood.get(asked)) is None:
            pattern = self._understood[asked] = self._pattern(*asked)
        if len(command.arguments) > self.parameters.get(pattern, USUAL_PARAMETERS):
            raise Refusal(*NOT_ALLOWED)
        return self.commands[pattern]

    def _pattern(self, path: str, header: str) -> str:
        """The command that is meant, by its pattern."""
        # Relative to the command before it; a client that leaves out the colon where it should not is understood all the same.
        for wanted in ([f"{path}:{header}"] if path else []) + [header]:
            for pattern in self.commands:
                if fits(pattern, wanted):
                    return pattern
        raise Refusal(*UNDEFINED)

    # Status.

    def _put(self, error: tuple[int, str]) -> None:
        self._events |= EVENT_OF.get(-error[0] // 100, 0)
        if len(self._errors) < QUEUE_LENGTH:
            self._errors.append(error)
        else:
            self._errors[-1] = OVERFLOW

    def _next_error(self) -> str:
        code, words = self._errors.popleft() if self._errors else (0, "No error")
        return f'{code},"{words}"'

    def _clear(self) -> None:
        self._errors.clear()
        self._events = 0

    def _complete(self, command: Command) -> str | None:
        if command.asks:
            return "1"
        self._events |= OPERATION_COMPLETE  # nothing here goes on beside the next command
        return None

    def _read_events(self) -> str:
        events, self._events = self._events, 0
        return str(events)

    def _mask_events(self, command: Command) -> str | None:
        if command.asks:
            return str(self._event_mask)
        self._event_mask = round(number_of(command, low=0, high=255))
        return None

    def _mask_service(self, command: Command) -> str | None:
        if command.asks:
            return str(self._service_mask)
        self._service_mask = round(number_of(command, low=0, high=255)) & ~MASTER_BIT
        return None

    def _status_byte(self) -> int:
        byte = QUEUE_BIT * bool(self._errors) + MESSAGE_BIT * self._answering + EVENT_BIT * bool(self._events & self._event_mask)
        return byte + MASTER_BIT * bool(byte & self._service_mask)


class _Mask:
    """An enable register of SCPI's status system, whose events never happen here."""

    def __init__(self) -> None:
        self._value = 0

    def __call__(self, command: Command) -> str | None:
        if command.asks:
            return str(self._value)
        self._value = round(number_of(command, low=0, high=65535))
        return None


def _named(word: str, number: Number) -> float | None:
    """The value that MIN, MAX or DEF stands for, or None for anything else."""
    values = {"MINimum": number.low, "MAXimum": number.high, "DEFault": number.default}
    return next((value for name, value in values.items() if word and fits(name, word)), None)


def number_of(command: Command, *, low: float, high: float, unit: str = "") -> float:
    """Return the one number of a command, its suffix taken in; refuse it as missing, no number, of a wrong suffix, or out of range."""
    if not command.arguments:
        raise Refusal(*MISSING)
    try:
        value = read_suffixed(command.arguments[0], unit=unit)
    except LookupError:
        raise Refusal(*BAD_SUFFIX) from None
    except ValueError:
        raise Refusal(*BAD_DATA) from None
    if not low <= value <= high:
        raise Refusal(*OUT_OF_RANGE)
    return value


def switch_of(command: Command) -> bool:
    """Return the on or off of a command: ON, OFF, or a number, of which only 0 is off."""
    word = command.arguments[0].upper() if command.arguments else ""
    if word in ("ON", "OFF"):
        return word == "ON"
    if not word:
        raise Refusal(*MISSING)
    try:
        return round(read_number(word)) != 0
    except ValueError:
        raise Refusal(*BAD_DATA) from None
