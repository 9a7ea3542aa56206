"""What can be turned: a core in its coil, a rotary or a compression trimmer, a preset, the tuning; where each stands, and what follows."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

WAX_YIELDS = 0.03  # turns a waxed core moves for each turn of the tool; the rest is the tool slipping
LEAST_TURN = 1e-4
ROUND = 1.0  # turn: a rotary trimmer comes back to where it was


class Adjuster(Protocol):
    """Anything that a person turns. tool_turns counts what the hand has turned."""

    travel_turns: float
    position_turns: float
    tool_turns: float
    waxed: bool

    def turn(self, turns: float) -> bool:
        """Turn the tool by so many turns; return whether a stop was met."""

    def at_stop(self) -> bool: ...


@dataclass
class Core:
    """A core that can be turned between two stops. position_turns 0 is fully anticlockwise,
    least inductance.

    tool_turns counts what the hand has turned: as much as the core, but for a waxed one, in which the tool slips.
    """

    l_min_h: float
    l_max_h: float
    travel_turns: float
    position_turns: float
    waxed: bool = False
    tool_turns: float = 0.0
    seized: bool = False  # no tool moves it any more

    def inductance_h(self) -> float:
        """Return L: half a cosine between L_min and L_max over the travel, so smooth and single-valued, flat at both ends."""
        return inductance_at(self.position_turns / self.travel_turns, l_min_h=self.l_min_h, l_max_h=self.l_max_h)

    def set_to(self, l_h: float) -> None:
        """Put it where the coil has this inductance, or at the stop nearest to it."""
        self.position_turns = self.travel_turns * fraction_for(l_h, l_min_h=self.l_min_h, l_max_h=self.l_max_h)

    def turn(self, turns: float) -> bool:
        """Turn the tool by so many turns; return whether a stop was met. The core goes no further than its stop."""
        if self.seized:
            return True
        before = self.position_turns
        wanted = before + turns * (WAX_YIELDS if self.waxed else 1.0)
        self.position_turns = min(max(wanted, 0.0), self.travel_turns)
        self.tool_turns += turns if self.waxed else self.position_turns - before
        return abs(wanted - self.position_turns) > LEAST_TURN

    def at_stop(self) -> bool:
        return self.seized or not LEAST_TURN < self.position_turns < self.travel_turns - LEAST_TURN

    def reach(self, *, tool_turns: float | None = None) -> tuple[float, float]:
        """Return the positions that can be reached: all the travel, or what wax yields to `tool_turns` each way."""
        if not self.waxed or tool_turns is None:
            return 0.0, self.travel_turns
        slack = tool_turns * WAX_YIELDS
        return max(0.0, self.position_turns - slack), min(self.travel_turns, self.position_turns + slack)


@dataclass
class Rotary:
    """A trimmer of two half discs: it turns on and on, and goes through its most and its least once a turn, so past any value twice."""

    least_f: float
    most_f: float
    position_turns: float = 0.25
    tool_turns: float = 0.0
    waxed: bool = False
    travel_turns: float = ROUND

    def farads(self) -> float:
        """Return C: half discs overlap in proportion to the angle, up over half a turn and down over the other."""
        overlap = 2.0 * abs((self.position_turns % ROUND) / ROUND - 0.5)
        return self.least_f + (self.most_f - self.least_f) * (1.0 - overlap)

    def set_to(self, farads: float) -> None:
        """Put it where it has so much, or as near as it comes, on the rising half of its turn."""
        share = (farads - self.least_f) / (self.most_f - self.least_f)
        self.position_turns = ROUND * min(max(share, 0.0), 1.0) / 2.0

    def turn(self, turns: float) -> bool:
        self.position_turns = (self.position_turns + turns) % ROUND
        self.tool_turns += turns
        return False

    def at_stop(self) -> bool:
        return False


@dataclass
class Screw:
    """What goes from stop to stop as it is turned, and no further."""

    travel_turns: float
    position_turns: float = 0.0
    tool_turns: float = 0.0
    waxed: bool = False

    def turn(self, turns: float) -> bool:
        before = self.position_turns
        self.position_turns = min(max(before + turns, 0.0), self.travel_turns)
        self.tool_turns += self.position_turns - before
        return abs(before + turns - self.position_turns) > LEAST_TURN

    def at_stop(self) -> bool:
        return not LEAST_TURN < self.position_turns < self.travel_turns - LEAST_TURN


@dataclass(kw_only=True)
class Compression(Screw):
    """Plates pressed together by a screw: C goes as one over what is left between them, so it is steep when tight. Clockwise is tighter."""

    least_f: float
    most_f: float

    def farads(self) -> float:
        """Return C of the gap, which shrinks evenly with the turns."""
        loose = self.most_f / self.least_f - 1.0
        return self.most_f / (1.0 + loose * (1.0 - self.position_turns / self.travel_turns))

    def set_to(self, farads: float) -> None:
        """Put it where it has so much, or at the stop nearest to it."""
        loose = self.most_f / self.least_f - 1.0
        tight = 1.0 - (self.most_f / farads - 1.0) / loose
        self.position_turns = self.travel_turns * min(max(tight, 0.0), 1.0)


@dataclass
class Preset(Screw):
    """A knob or a screwdriver control between two stops; `share` is how far along it stands, 0..1."""

    @property
    def share(self) -> float:
        return self.position_turns / self.travel_turns


@dataclass
class Tuning(Preset):
    """The tuning knob: its pointer goes along the scale. `moved` is told after each turn."""

    moved: Callable[[], None] = lambda: None

    def turn(self, turns: float) -> bool:
        stopped = Preset.turn(self, turns)
        self.moved()
        return stopped


def inductance_at(fraction: float, *, l_min_h: float, l_max_h: float) -> float:
    """Return the inductance (H) at a fraction 0..1 of the travel."""
    return l_min_h + (l_max_h - l_min_h) * (1.0 - math.cos(math.pi * fraction)) / 2.0


def fraction_for(inductance_h: float, *, l_min_h: float, l_max_h: float) -> float:
    """Return the fraction of the travel at which the coil has this inductance; 0 or 1 when it is beyond an end."""
    x = 1.0 - 2.0 * (inductance_h - l_min_h) / (l_max_h - l_min_h)
    return math.acos(min(1.0, max(-1.0, x))) / math.pi
