"""What every stand-in has: identity, error queue, and a table of commands."""

from collections import deque
from collections.abc import Callable

from calm_needle.core.scpi import Command, fits, read_number, split_message

Handler = Callable[[Command], str | None]
UNDEFINED = (-113, "Undefined header")
BAD_DATA = (-104, "Data type error")
MISSING = (-109, "Missing parameter")
NOT_ALLOWED = (-108, "Parameter not allowed")
OUT_OF_RANGE = (-222, "Data out of range")
OVERFLOW = (-350, "Queue overflow")  # SCPI-1999 vol. 2, 21.8.2: in the place of the last entry, when there is no room
QUEUE_LENGTH = 20
USUAL_PARAMETERS = 1


class Refusal(Exception):
    """A command that cannot be carried out: SCPI code and words."""

    def __init__(self, code: int, words: str) -> None:
        super().__init__(words)
        self.code, self.words = code, words


class StandIn:
    """An instrument that answers lines. Subclasses fill `commands`: header pattern to handler."""

    identity = "Tern Rock,Stand-in,0,1"

    def __init__(self) -> None:
        self._errors: deque[tuple[int, str]] = deque()
        # How many parameters a header takes at most, where it is not one.
        self.parameters = {"*IDN": 0, "*RST": 0, "*CLS": 0, "*OPC": 0, "SYSTem:ERRor[:NEXT]": 0}
        self.commands: dict[str, Handler] = {
            "*IDN": lambda _: self.identity,
            "*RST": lambda _: self.reset(),
            "*CLS": lambda _: self._errors.clear(),
            "*OPC": lambda c: "1" if c.asks else None,
            "SYSTem:ERRor[:NEXT]": lambda _: self._next_error(),
        }

    def reset(self) -> None:
        """Go back to the state after switching on."""

    def answer(self, line: str) -> str | None:
        """Return the answer to one line, or None when it asks nothing; what goes wrong lands in the error queue."""
        replies = []
        for command in split_message(line):
            try:
                reply = self._handler(command)(command)
            except Refusal as refusal:
                self._put((refusal.code, refusal.words))
                continue
            if command.asks and reply is not None:
                replies.append(reply)
        return ";".join(replies) if replies else None

    def _handler(self, command: Command) -> Handler:
        for pattern, handler in self.commands.items():
            if fits(pattern, command.header):
                if len(command.arguments) > self.parameters.get(pattern, USUAL_PARAMETERS):
                    raise Refusal(*NOT_ALLOWED)
                return handler
        raise Refusal(*UNDEFINED)

    def _put(self, error: tuple[int, str]) -> None:
        if len(self._errors) < QUEUE_LENGTH:
            self._errors.append(error)
        else:
            self._errors[-1] = OVERFLOW

    def _next_error(self) -> str:
        code, words = self._errors.popleft() if self._errors else (0, "No error")
        return f'{code},"{words}"'


def number_of(command: Command, *, low: float, high: float) -> float:
    """Return the one number of a command, or refuse it as missing, as no number, or as out of range."""
    if not command.arguments:
        raise Refusal(*MISSING)
    try:
        value = read_number(command.arguments[0])
    except ValueError:
        raise Refusal(*BAD_DATA) from None
    if not low <= value <= high:
        raise Refusal(*OUT_OF_RANGE)
    return value


def switch_of(command: Command) -> bool:
    """Return the on or off of a command."""
    word = command.arguments[0].upper() if command.arguments else ""
    if word not in ("ON", "OFF", "1", "0"):
        raise Refusal(*(BAD_DATA if word else MISSING))
    return word in ("ON", "1")
