"""The grammar of SCPI text: headers in long and short form, program messages, numbers, error replies. SCPI-1999 vol. 1."""

import math
import re
from functools import cache
from typing import NamedTuple

# SCPI-1999 vol. 1, 7.2.1.4: 9.9E37 is infinity, 9.91E37 not a number; from 9.0E37 on a number is none that was measured.
NOT_A_NUMBER, INFINITE = 9.0e37, 9.9e37
_NUMBER = re.compile(r"[ \t]*[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,5})?[ \t\r]*")


class Command(NamedTuple):
    """One command of a program message: header without the question mark, whether it asks, its arguments."""

    header: str
    asks: bool
    arguments: tuple[str, ...]


def split_message(line: str) -> list[Command]:
    """Return the commands of one line; quotes protect semicolons and commas; quotes around an argument are dropped.

    >>> split_message('FREQ 468000;:OUTP ON')
    [Command(header='FREQ', asks=False, arguments=('468000',)), Command(header='OUTP', asks=False, arguments=('ON',))]
    """
    commands = []
    for part in _split(line, ";"):
        head, _, tail = part.strip().partition(" ")
        if head:
            arguments = tuple(a.strip().strip('"') for a in _split(tail, ",") if a.strip())
            commands.append(Command(head.lstrip(":").rstrip("?"), head.endswith("?"), arguments))
    return commands


def fits(pattern: str, header: str) -> bool:
    """Return whether a header is the pattern in long or short form; [:NODE] may be left out.

    >>> fits("FREQuency[:CW]", "freq"), fits("FREQuency[:CW]", "FREQUENCY:CW"), fits("FREQuency[:CW]", "FREQU")
    (True, True, False)
    """
    return _header_expression(pattern).fullmatch(header) is not None


def read_number(text: str, *, over_range: bool = False) -> float:
    """Return the number of a reply: NR1, NR2 or NR3 of IEEE 488.2 (8.7.2 to 8.7.4), with white space about it and nothing else.

    over_range: SCPI's infinity is an answer too, and comes back as one. Raises ValueError for anything else, SCPI's not-a-number
    among it.

    >>> read_number(" +1.25E-3"), read_number("9.9E37", over_range=True)
    (0.00125, inf)
    """
    if not _NUMBER.fullmatch(text):
        raise ValueError("no number")
    value = float(text)
    if value == INFINITE and over_range:
        return math.inf
    if not math.isfinite(value) or abs(value) >= NOT_A_NUMBER:
        raise ValueError("no number")
    return value


def is_not_a_number(text: str) -> bool:
    """Return whether a reply is SCPI's not-a-number: a measurement that could not be made; the error queue says why."""
    return bool(_NUMBER.fullmatch(text)) and math.isclose(float(text), 9.91e37, rel_tol=1e-6)


def read_error(text: str) -> tuple[int, str]:
    """Return code and words of a reply to SYST:ERR?; code 0 is none. Raises ValueError for anything else."""
    code, _, words = text.strip().partition(",")
    return int(code), words.strip().strip('"')


@cache
def _header_expression(pattern: str) -> re.Pattern[str]:
    def forms(node: re.Match[str]) -> str:
        long = node[0]
        short = "".join(c for c in long if not c.islower())
        return f"(?:{long}|{short})"

    body = re.sub(r"[A-Za-z]+", forms, pattern.replace("*", r"\*"))
    return re.compile(body.replace("[", "(?:").replace("]", ")?"), re.IGNORECASE)


def _split(text: str, mark: str) -> list[str]:
    parts, quoted, start = [], False, 0
    for i, c in enumerate(text):
        if c == '"':
            quoted = not quoted
        elif c == mark and not quoted:
            parts.append(text[start:i])
            start = i + 1
    return [*parts, text[start:]]
