"""Pictures as data: what is to be drawn, in the quantities of the job. files.svg_picture draws them."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Ink = Literal["ink", "slate", "rule", "before", "after", "moss", "madder"]
Points = list[tuple[float, float]]


@dataclass(frozen=True)
class Line:
    """A curve with its name written at its end."""

    name: str
    points: Points
    ink: Ink = "after"
    dashed: bool = False
    dots: bool = False


@dataclass(frozen=True)
class Mark:
    """A place along the x axis, with its name; y puts a dot there."""

    x: float
    name: str
    y: float | None = None
    ink: Ink = "slate"


@dataclass(frozen=True)
class Curves:
    """Lines over an axis; band: a tolerance from low to high; units are SI and shown with prefixes."""

    title: str
    x_unit: str
    y_unit: str
    lines: Sequence[Line]
    marks: Sequence[Mark] = ()
    band: tuple[float, float] | None = None
    log_x: bool = False


@dataclass(frozen=True)
class Place:
    """A mark on a scale: its value, name, and whether it is the one looked for, a limit, or something known.

    named: the name says the value already.
    """

    value: float
    name: str
    kind: Literal["wanted", "known", "limit", "danger"] = "known"
    named: bool = False


@dataclass(frozen=True)
class Scale:
    """A line with places on it; band: the part that is good; log: decades are evenly spaced."""

    title: str
    unit: str
    places: Sequence[Place]
    band: tuple[float, float] | None = None
    log: bool = False
    digits: int = 4


@dataclass(frozen=True)
class Switches:
    """The pads of an attenuator, and which are thrown."""

    title: str
    pads_db: Sequence[float]
    thrown_db: Sequence[float]
    total_db: float
    remainder_db: float


@dataclass(frozen=True)
class Winding:
    """A coil cut through: turns across `length_m`, layers up to `depth_m`, former of radius `inner_radius_m`."""

    title: str
    turns: float
    length_m: float
    inner_radius_m: float
    depth_m: float = 0.0


@dataclass(frozen=True)
class Taps:
    """A winding with its tags along it, in their order, and the ohms between each two neighbours (infinite for open)."""

    title: str
    tags: Sequence[str]
    ohms: Sequence[float]


@dataclass(frozen=True)
class Stack:
    """Two curves one over the other, along the same axis."""

    title: str
    upper: Curves
    lower: Curves


@dataclass(frozen=True)
class Stretch:
    """Something that lies between two values on a lane, or at one where they are the same; marks: places on it."""

    name: str
    low: float
    high: float
    ink: Ink = "after"
    marks: Sequence[Mark] = ()


@dataclass(frozen=True)
class Lanes:
    """Stretches under one another along one logarithmic axis, each with its name; unit is SI and shown with prefixes."""

    title: str
    unit: str
    lanes: Sequence[Stretch]


@dataclass(frozen=True)
class PrintedScale:
    """A dial as it is printed: marks in their places (mm along it, name), and where the pointer would be right for them (mm)."""

    title: str
    length_mm: float
    printed: Sequence[tuple[float, str]]
    right: Sequence[tuple[float, float]] = ()


Picture = Curves | Scale | Switches | Winding | Taps | Stack | Lanes | PrintedScale
