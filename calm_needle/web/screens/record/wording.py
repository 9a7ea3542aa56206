"""The record's numbers in words, for the page and for paper."""

from calm_needle.core.procedure.report import Amount, Cell
from calm_needle.core.quantities import TRUE_MINUS, format_db, format_si, split_si

NOT_MEASURED = "not measured"
# Figures that a quantity is shown with: a frequency of a strip to ten hertz, a turn to a hundredth.
ERRORS_BELOW_HZ = 50e3  # no frequency of a set is so low; an error is
PLACES = {"Hz": 2, "turn": 2}


def shown(cell: Cell) -> str:
    """Return a cell as the page shows it."""
    if cell is None:
        return NOT_MEASURED
    return cell if isinstance(cell, str) else amount(cell)


def gained(a: Amount | None, downwards: bool) -> str:
    """Return what a step gained, and of a null how much deeper it is: nothing is gained there.

    >>> gained(Amount(-22.2, "dB", signed=True), True), gained(Amount(3.1, "dB", signed=True), False), gained(None, False)
    ('22.2 deeper', '+3.1', '')
    """
    if a is None:
        return ""
    if downwards and a.unit == "dB":
        return f"{abs(a.value):.1f} {'deeper' if a.value < 0 else 'less deep'}"
    return amount(a)


def amount(a: Amount) -> str:
    """Return a number as the page shows it.

    >>> amount(Amount(468.02e3, "Hz")), amount(Amount(-0.4, "dB", signed=True)), amount(Amount(-1.25, "turn", signed=True))
    ('468.02\u2009kHz', '−0.4', '−1.25')
    >>> amount(Amount(-0.004, "turn", signed=True))
    '+0.00'
    """
    if a.digits is not None:
        return format_si(a.value, unit=a.unit, digits=a.digits, signed=a.signed)
    if a.unit == "dB" and a.signed:
        return format_db(a.value)
    if a.unit == "turn":
        return f"{round(a.value, PLACES['turn']) + 0.0:+.{PLACES['turn']}f}".replace("-", TRUE_MINUS)  # no minus before nothing
    if a.unit == "Hz" and a.signed:
        return format_si(a.value, unit="Hz", digits=3, signed=True)
    if a.unit == "Hz" and abs(a.value) < ERRORS_BELOW_HZ:
        return format_si(a.value, unit="Hz", digits=3)
    if a.unit == "Hz":
        return f"{a.value / 1e3:.{PLACES['Hz']}f}\u2009kHz" if abs(a.value) < 2e6 else format_si(a.value, unit="Hz", digits=6)
    number, unit = split_si(a.value, unit=a.unit, digits=3)
    return f"{number}\u2009{unit}"
