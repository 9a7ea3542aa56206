"""A core in its coil: position in turns, travel, wax."""

import math
from dataclasses import dataclass

WAX_YIELDS = 0.03  # turns a waxed core moves for each turn of the tool; the rest is the tool slipping
LEAST_TURN = 1e-4


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

    def inductance_h(self) -> float:
        """Return L: half a cosine between L_min and L_max over the travel, so smooth and single-valued, flat at both ends."""
        return inductance_at(self.position_turns / self.travel_turns, l_min_h=self.l_min_h, l_max_h=self.l_max_h)

    def turn(self, turns: float) -> bool:
        """Turn the tool by so many turns; return whether a stop was met. The core goes no further than its stop."""
        before = self.position_turns
        wanted = before + turns * (WAX_YIELDS if self.waxed else 1.0)
        self.position_turns = min(max(wanted, 0.0), self.travel_turns)
        self.tool_turns += turns if self.waxed else self.position_turns - before
        return abs(wanted - self.position_turns) > LEAST_TURN

    def at_stop(self) -> bool:
        return not LEAST_TURN < self.position_turns < self.travel_turns - LEAST_TURN

    def reach(self, *, tool_turns: float | None = None) -> tuple[float, float]:
        """Return the positions that can be reached: all the travel, or what wax yields to `tool_turns` each way."""
        if not self.waxed or tool_turns is None:
            return 0.0, self.travel_turns
        slack = tool_turns * WAX_YIELDS
        return max(0.0, self.position_turns - slack), min(self.travel_turns, self.position_turns + slack)


def inductance_at(fraction: float, *, l_min_h: float, l_max_h: float) -> float:
    """Return the inductance (H) at a fraction 0..1 of the travel."""
    return l_min_h + (l_max_h - l_min_h) * (1.0 - math.cos(math.pi * fraction)) / 2.0


def fraction_for(inductance_h: float, *, l_min_h: float, l_max_h: float) -> float:
    """Return the fraction of the travel at which the coil has this inductance; 0 or 1 when it is beyond an end."""
    x = 1.0 - 2.0 * (inductance_h - l_min_h) / (l_max_h - l_min_h)
    return math.acos(min(1.0, max(-1.0, x))) / math.pi
