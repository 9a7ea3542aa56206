"""What a phase came to, in numbers: figures, tables and curves with their units and the readings they came from.

Nothing here is a sentence: page, print and file word it, each in its way.
"""

from typing import Literal, NamedTuple

SectionName = Literal["as found", "before and after", "response", "dial", "rocking", "adjusters", "set up"]


class Amount(NamedTuple):
    """A number: SI or decibels, its unit, and the ids of the readings it came from (none: it was set, not read)."""

    value: float
    unit: str
    readings: tuple[int, ...] = ()
    signed: bool = False  # a change or a turn, which has a way
    digits: int | None = None  # that its uncertainty leaves, where that is known


Cell = Amount | str | None


class Row(NamedTuple):
    """A row of a table: what it is, and a cell for each column; words only where there is no number, None where nothing was measured."""

    name: str
    cells: tuple[Cell, ...]


class Curve(NamedTuple):
    """A curve: its name, N points, and the readings they came from."""

    name: Literal["before", "after"]
    points: tuple[tuple[float, float], ...]
    x_unit: str
    y_unit: str
    readings: tuple[int, ...]


class Section(NamedTuple):
    """One part of a report: a table with its columns, or curves with the value that was nominal."""

    name: SectionName
    columns: tuple[str, ...] = ()
    rows: tuple[Row, ...] = ()
    curves: tuple[Curve, ...] = ()
    nominal: float | None = None


def section(sections: list[Section], name: SectionName) -> Section | None:
    """Return the section of that name, or None."""
    return next((s for s in sections if s.name == name), None)
