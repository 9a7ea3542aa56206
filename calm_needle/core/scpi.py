"""The grammar of SCPI text: headers in long and short form, program messages, numbers, error replies. SCPI-1999 vol. 1."""

import math
import re
from functools import cache
from typing import NamedTuple

NOT_A_NUMBER = 9.0e37  # SCPI-1999 vol. 1, 7.2.1.4: 9.9E37 is infinity, 9.91E37 not a number


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


def read_number(text: str) -> float:
    """Return the number of a reply. Raises ValueError for text, infinity, and SCPI's not-a-number."""
    value = float(text.strip())
    if not math.isfinite(value) or abs(value) >= NOT_A_NUMBER:
        raise ValueError("no number")
    return value


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
