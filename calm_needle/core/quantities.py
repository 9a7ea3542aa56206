"""Text to SI floats and back: the only place that knows prefixes, decimal commas and true minus signs.

What people type at a bench:  455k   4.7 nF   1,4   2u2   10 MHz   412m   −12.4 dB   1.4e6
"""

import math
import re
from decimal import Decimal
from typing import NamedTuple

from calm_needle.errors import NotUnderstood

PREFIXES = {"p": -12, "n": -9, "u": -6, "µ": -6, "μ": -6, "m": -3, "k": 3, "K": 3, "M": 6, "G": 9}
STEPS = (("p", -12), ("n", -9), ("µ", -6), ("m", -3), ("", 0), ("k", 3), ("M", 6), ("G", 9))

# The unit as shown, and every way it may be typed.
SPELLINGS = {
    "Hz": ("Hz", "hz", "HZ"),
    "H": ("H",),
    "F": ("F",),
    "V": ("V", "v", "Vrms", "V rms"),
    "A": ("A",),
    "W": ("W",),
    "s": ("s",),
    "Ω": ("Ω", "\u2126", "ohm", "ohms", "Ohm", "R"),
    "dB": ("dB", "db", "DB"),
    "dBm": ("dBm", "dbm"),
    "dBµV": ("dBµV", "dBμV", "dBuV", "dbuv"),
    "turn": ("turn", "turns", "t"),
    "%": ("%",),
    "m": ("m",),
    "°C": ("°C", "C", "c"),
    "ppm": ("ppm",),
    "": (),
}
EXAMPLES = {
    "Hz": "455 kHz",
    "H": "680 µH",
    "F": "4.7 nF",
    "V": "412 mV",
    "A": "60 mA",
    "W": "50 mW",
    "s": "20 s",
    "Ω": "600 Ω",
    "dB": "−12.4 dB",
    "dBm": "−30 dBm",
    "dBµV": "54 dBµV",
    "turn": "0.25",
    "%": "30 %",
    "m": "2.5 mm",
    "°C": "20 °C",
    "ppm": "2 ppm",
    "": "1.4",
}
LOGARITHMIC = ("dB", "dBm", "dBµV", "turn", "%", "°C", "ppm", "")
MOST_DIGITS = 9  # that a figure is shown with
THIN_SPACE = "\u2009"
TRUE_MINUS = "\u2212"
LONGEST_TEXT = 60

_NUMBER = r"[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+"
_PLAIN = re.compile(rf"(?P<number>(?:{_NUMBER})(?:[eE][+-]?[0-9]{{1,3}})?)\s*(?P<tail>[^0-9\s].*)?", re.DOTALL)
_LETTER_AS_POINT = re.compile(r"(?P<whole>[0-9]+)(?P<prefix>[pnuµμmkKMGR])(?P<part>[0-9]+)\s*(?P<tail>[^0-9\s].*)?", re.DOTALL)
_LOOKS_GROUPED = re.compile(r"[1-9][0-9]{0,2}(?:,[0-9]{3})+(?![0-9])")


class Quantity(NamedTuple):
    """A value with the unit it is in: SI, or decibels of something."""

    value: float
    unit: str


def parse_si(text: str, *, unit: str) -> float:
    """Return the SI value of a quantity typed by a person, `unit` being the unit it must be in ("Hz", "F", "dB", "" …).

    The unit itself may be left out. Takes engineering prefixes, a decimal comma, 2u2 and 4k7, exponents, a true minus.
    Raises NotUnderstood for anything else: another unit, two numbers, infinity, and `1,200`, which could mean two things.

    >>> parse_si("455k", unit="Hz"), parse_si("2u2", unit="F"), parse_si("1,4 MHz", unit="Hz")
    (455000.0, 2.2e-06, 1400000.0)
    """
    return _parse(text, units=(unit,)).value


def parse_reading(text: str, *, units: tuple[str, ...] = ("V", "dB")) -> Quantity:
    """Return what a meter was seen to show: a value and which of `units` it is in; the first is meant when none is typed.

    >>> parse_reading("412m"), parse_reading("-12.4dB")
    (Quantity(value=0.412, unit='V'), Quantity(value=-12.4, unit='dB'))
    """
    return _parse(text, units=units)


def parse_list(text: str, *, unit: str) -> list[float]:
    """Return a list of quantities, parted by semicolons or, where there is none, by commas.

    >>> parse_list("3,6,12,20", unit="dB"), parse_list("1,5; 3", unit="dB")
    ([3.0, 6.0, 12.0, 20.0], [1.5, 3.0])
    """
    parts = text.split(";" if ";" in text else ",")
    return [parse_si(part, unit=unit) for part in parts if part.strip()]


def format_si(value: float, *, unit: str, digits: int = 4, signed: bool = False) -> str:
    """Return a value as it is shown: significant digits, engineering prefix, true minus, thin space before the unit.

    Units without prefixes (dB, dBm, dBµV, %, turn) get `digits` significant digits and no prefix.

    >>> format_si(455e3, unit="Hz"), format_si(4.7e-9, unit="F", digits=2), format_si(0.412, unit="V", digits=3)
    ('455.0\\u2009kHz', '4.7\\u2009nF', '412\\u2009mV')
    """
    number, shown_unit = split_si(value, unit=unit, digits=digits, signed=signed)
    return f"{number}{THIN_SPACE}{shown_unit}" if shown_unit else number


def digits_by(value: float, *, u95: float) -> int:
    """Return how many significant digits of a value its uncertainty (95 %, same unit) leaves: to the second digit of the uncertainty.

    >>> digits_by(468020.0, u95=15.0), digits_by(54.3, u95=0.2), digits_by(18e-6, u95=3e-6), digits_by(1.0, u95=0.0)
    (6, 4, 3, 9)
    """
    if not (u95 > 0.0 and math.isfinite(u95) and value):
        return MOST_DIGITS
    second = int(f"{u95:.1e}".split("e")[1]) - 1
    first = int(f"{abs(value):.0e}".split("e")[1])
    return min(max(1, first - second + 1), MOST_DIGITS)


def format_plain(value: float, *, unit: str, digits: int = 4) -> str:
    """Return a value with no more figures than it has: trailing noughts are left out, so that 96 V stays 96 V.

    >>> format_plain(96.0, unit="V"), format_plain(2.43, unit="Ω"), format_plain(128e3, unit="Hz")
    ('96\\u2009V', '2.43\\u2009Ω', '128\\u2009kHz')
    """
    number, shown_unit = split_si(value, unit=unit, digits=digits)
    number = number.rstrip("0").rstrip(".") if "." in number else number
    return f"{number}{THIN_SPACE}{shown_unit}" if shown_unit else number


def split_si(value: float, *, unit: str, digits: int = 4, signed: bool = False) -> tuple[str, str]:
    """Return the number and the prefixed unit apart, for a page that sets them in different sizes."""
    if unit in LOGARITHMIC or value == 0 or not math.isfinite(value):
        return _sign(_significant(value, digits), signed), unit
    # Rounding first decides the prefix: 999.96 with four digits is 1.000 k, not 1000.
    exponent = int(f"{abs(value):.{digits - 1}e}".split("e")[1])
    step = min(max(3 * (exponent // 3), STEPS[0][1]), STEPS[-1][1])
    prefix = next(name for name, power in STEPS if power == step)
    return _sign(_significant(value / 10.0**step, digits), signed), prefix + unit


def format_db(value: float, *, places: int = 1) -> str:
    """Return a change in decibels with its sign: +5.6, −0.4; a change that rounds to nothing is 0.0 without sign."""
    return format_signed(value, places=places)


def format_beside(percent: float, than: str, *, places: int = 1) -> str:
    """Return a difference in per cent as one says it, so that nobody takes it for a share: 23.4 % less than the good one's.

    >>> format_beside(-23.44, "its sister’s"), format_beside(0.01, "its sister’s")
    ('23.4\u202f% less than its sister’s', 'the same as its sister’s')
    """
    size = f"{abs(percent):.{places}f}"
    if float(size) == 0:
        return f"the same as {than}"
    return f"{size}\u202f% {'more' if percent > 0 else 'less'} than {than}"


def format_signed(value: float, *, places: int = 1) -> str:
    """Return a difference with its sign, as format_db does, whatever it is a difference of."""
    text = f"{value:+.{places}f}"
    return text[1:] if float(text) == 0 else text.replace("-", TRUE_MINUS)


def _parse(text: str, *, units: tuple[str, ...]) -> Quantity:
    example = EXAMPLES.get(units[0], "1.4")
    cleaned = text.replace(TRUE_MINUS, "-").replace("\u2009", " ").replace("\u202f", " ").replace("\u00a0", " ").strip()
    if not cleaned:
        raise NotUnderstood(text, why="is empty", example=example)
    if len(cleaned) > LONGEST_TEXT:
        raise NotUnderstood(text, why="is too long to be one quantity", example=example)
    negative = cleaned.startswith("-")
    body = cleaned[1:].lstrip() if cleaned[0] in "+-" else cleaned
    number, tail = _number_and_tail(body, text, example)
    power, unit = _prefix_and_unit(tail, units, text, example)
    # Scaled as a decimal: 412 m is 0.412 and not the float next to it.
    value = float(number.scaleb(power))
    if not math.isfinite(value):
        raise NotUnderstood(text, why="is larger than anything on a bench", example=example)
    return Quantity(-value if negative else value, unit)


def _number_and_tail(body: str, text: str, example: str) -> tuple[Decimal, str]:
    if lettered := _LETTER_AS_POINT.fullmatch(body):
        letter = lettered["prefix"]
        # The letter marks the point and scales too; R marks the point of ohms and scales by one.
        tail = (lettered["tail"] or "").strip()
        return Decimal(f"{lettered['whole']}.{lettered['part']}"), ("" if letter == "R" else letter) + (
            tail or ("R" if letter == "R" else "")
        )
    if not (plain := _PLAIN.fullmatch(body)):
        raise NotUnderstood(text, why="is not a number with a unit", example=example)
    number = plain["number"]
    if _LOOKS_GROUPED.match(number):
        dotted, joined = number.replace(",", ".", 1), number.replace(",", "")
        raise NotUnderstood(text, why=f"could mean {dotted} or {joined}", example=f"{dotted} or {joined}")
    return Decimal(number.replace(",", ".")), (plain["tail"] or "").strip()


def _prefix_and_unit(tail: str, units: tuple[str, ...], text: str, example: str) -> tuple[int, str]:
    if not tail:
        return 0, units[0]
    for unit in units:
        if tail in SPELLINGS[unit]:
            return 0, unit
    for unit in units:
        if unit in LOGARITHMIC and unit != "":
            continue
        rest = tail[1:].strip()
        if tail[0] in PREFIXES and (not rest or rest in SPELLINGS[unit]):
            if unit == "Hz" and tail[0] == "m":
                raise NotUnderstood(text, why="is in millihertz, which no receiver uses; was M (mega) meant?", example="1.4 MHz")
            return PREFIXES[tail[0]], unit
    wanted = " or ".join(u for u in units if u) or "a plain number"
    raise NotUnderstood(text, why=f"is not in {wanted}", example=example)


def _significant(value: float, digits: int) -> str:
    if value == 0:
        return "0"
    if not math.isfinite(value):
        return "∞" if value > 0 else "-∞"
    exponent = int(f"{abs(value):.{digits - 1}e}".split("e")[1])
    return f"{value:.{max(0, digits - 1 - exponent)}f}"


def _sign(number: str, signed: bool) -> str:
    text = number.replace("-", TRUE_MINUS)
    return f"+{text}" if signed and not text.startswith(TRUE_MINUS) else text
