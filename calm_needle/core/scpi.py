"""The grammar of SCPI text: headers in long and short form, program messages, numbers, error replies. SCPI-1999 vol. 1."""

import math
import re
from functools import cache
from typing import NamedTuple

# SCPI-1999 vol. 1, 7.2.1.4: 9.9E37 is infinity, 9.91E37 not a number; from 9.0E37 on a number is none that was measured.
NOT_A_NUMBER, INFINITE = 9.0e37, 9.9e37
_NUMBER = re.compile(r"[ \t]*[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,5})?[ \t\r]*")


# IEEE 488.2, 7.7.3: multipliers of a suffix. M is milli, but mega before HZ and OHM (7.7.3.3).
_SUFFIXED = re.compile(r"\s*([+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,5})?)\s*([A-Za-z%]*)\s*")
_MULTIPLIERS = {"EX": 18, "PE": 15, "T": 12, "G": 9, "MA": 6, "K": 3, "": 0, "M": -3, "U": -6, "N": -9, "P": -12, "F": -15}
_MEGA_UNITS = ("HZ", "OHM")


class Command(NamedTuple):
    """One command of a program message: header without the question mark, whether it asks, its arguments.

    path: the nodes before it in the same message, to which a header without a colon of its own belongs (SCPI-1999 vol. 1, 6.2.4).
    """

    header: str
    asks: bool
    arguments: tuple[str, ...]
    path: str = ""


def split_message(line: str) -> list[Command]:
    """Return the commands of one line; quotes protect semicolons and commas; quotes around an argument are dropped.

    >>> split_message('FREQ 468000;:OUTP ON')
    [Command(header='FREQ', asks=False, arguments=('468000',), path=''), Command(header='OUTP', asks=False, arguments=('ON',), path='')]
    """
    commands = []
    path = ""
    for part in _split(line, ";"):
        head, _, tail = part.strip().partition(" ")
        if head:
            arguments = tuple(a.strip().strip('"') for a in _split(tail, ",") if a.strip())
            header = head.lstrip(":").rstrip("?")
            commands.append(Command(header, head.endswith("?"), arguments, "" if head.startswith((":", "*")) else path))
            if not head.startswith("*"):
                whole = header if head.startswith(":") or not path else f"{path}:{header}"
                path = whole.rpartition(":")[0]
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


def read_suffixed(text: str, *, unit: str) -> float:
    """Return the number of a parameter, its suffix taken in: a multiplier and the unit, in any case, with or without a space.

    unit: in which it is meant where none is written. Raises ValueError for what is no number, LookupError for another suffix.

    >>> read_suffixed("455 kHz", unit="HZ"), read_suffixed("1.4MHZ", unit="HZ"), read_suffixed("3 mV", unit="V")
    (455000.0, 1400000.0, 0.003)
    """
    found = _SUFFIXED.fullmatch(text)
    if not found:
        raise ValueError("no number")
    value, suffix = read_number(found[1]), found[2].upper()
    if not suffix:
        return value
    if not unit or not suffix.endswith(unit):
        raise LookupError(suffix)
    multiplier = suffix[: len(suffix) - len(unit)]
    if multiplier not in _MULTIPLIERS:
        raise LookupError(suffix)
    return value * 10.0 ** (6 if multiplier == "M" and unit in _MEGA_UNITS else _MULTIPLIERS[multiplier])


def is_not_a_number(text: str) -> bool:
    """Return whether a reply is SCPI's not-a-number: a measurement that could not be made; the error queue says why."""
    return bool(_NUMBER.fullmatch(text)) and math.isclose(float(text), 9.91e37, rel_tol=1e-6)


def read_error(text: str) -> tuple[int, str]:
    """Return code and words of a reply to SYST:ERR?; code 0 is none. Raises ValueError for anything else."""
    code, _, words = text.strip().partition(",")
    return int(code), words.strip().strip('"')


# What an entry of an error queue means at the bench, by its code and by its class of codes (SCPI-1999 vol. 2, 21.8): what is the matter.
_MEANS = {
    -113: "it does not know that command, so it may be of another make than it was taken for",
    -221: "that does not go together with how it is set",
    -222: "that is more or less than it can be set to",
    -224: "it has no such setting",
    -241: "it lacks what that needs",
}
_MEANS_BY_CLASS = {
    -1: "it did not understand the command, so it may be of another make than it was taken for",
    -2: "it could not do that as it stands",
    -3: "it has a fault of its own",
    -4: "its answers and our questions got out of step",
}


def error_in_words(code: int, words: str) -> str:
    """Return what an entry of an error queue means, in a clause: what the instrument adds of its own after a colon, else by its code.

    >>> error_in_words(-221, "Settings conflict: volts at the terminals"), error_in_words(-222, "Data out of range")
    ('volts at the terminals', 'that is more or less than it can be set to')
    """
    _, _, own = words.partition(":")
    fallback = _MEANS_BY_CLASS.get(int(code / 100), f"it says “{words[:60]}”")
    return own.strip() or _MEANS.get(code, fallback)


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
