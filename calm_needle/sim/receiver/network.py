"""Direct currents in a set: resistors, windings, leaks and valves between nodes, solved for the volts at every node.

A valve's space current is k (V_gk + V_sk / mu)^1.5 (Child; its screen, or a triode's anode, as V_s), shared between anode and screen; an
electrode below a few volts takes little of it, so a valve whose anode is cut off draws nothing there. A transistor is taken as a valve that
begins to carry at its cut-in voltage, whose knee lies far lower, and whose base takes its share; in a stage with a resistor in the emitter
that is as good as the exponential. Newton's method with damping, the sources raised in steps, as circuit simulators do.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")


GROUND = "chassis"
LEAST_SIEMENS = 1e-10  # from every node to the chassis: insulation is never perfect, and no node floats
SOURCE_STEPS = (0.15, 0.4, 0.7, 1.0)
ROUNDS = 60
SETTLED_V, STEP_V = 1e-5, 1e-4
LONGEST_STEP_V = 25.0
KNEE_V = 12.0  # under this an anode takes less than its share
GRID_SIEMENS = 1e-3  # a grid driven positive takes current


class Path(NamedTuple):
    """A resistance (Ω, infinite when open) between two nodes, named after its part."""

    part: str
    a: str
    b: str
    ohm: float


class Valve(NamedTuple):
    """A valve: its electrodes' nodes (screen may be its anode), constants, the share of the screen, emission 0..1.

    Of a transistor collector, emitter and base are anode, cathode and grid; beta is its current gain, 0 for a valve.
    """

    anode: str
    screen: str
    cathode: str
    grid: str
    k: float
    mu: float
    screen_share: float
    emission: float
    cut_in_v: float = 0.0
    knee_v: float = KNEE_V
    beta: float = 0.0

    def drive_v(self, grid_v: float, screen_v: float) -> float:
        """Volts above where it begins to carry, from those of grid and screen against its cathode."""
        return grid_v + max(0.0, screen_v) / self.mu - self.cut_in_v


class Source(NamedTuple):
    """Volts behind a resistance (Ω), from the chassis to a node."""

    node: str
    v: float
    ohm: float


def solve(
    *, paths: Sequence[Path], valves: Sequence[Valve], sources: Sequence[Source], near: Mapping[str, float] | None = None
) -> dict[str, float]:
    """Return the volts at every node against the chassis. near: a state close by, where there is one. Raises ArithmeticError when no
    state is found.
    """
    nodes = sorted({n for p in paths for n in (p.a, p.b)} | {n for v in valves for n in v[:4]} | {s.node for s in sources})
    index = {name: i for i, name in enumerate(n for n in nodes if n != GROUND)}
    g = _conductances(paths, index)
    if near and set(index) <= set(near):
        try:
            v = _newton(np.array([near[n] for n in index]), g, index, valves, sources)
            return {GROUND: 0.0, **{name: float(v[i]) for name, i in index.items()}}
        except ArithmeticError:
            pass  # it was not so close: from the beginning
    v = np.zeros(len(index))
    for step in SOURCE_STEPS:
        v = _newton(v, g, index, valves, [s._replace(v=s.v * step) for s in sources])
    return {GROUND: 0.0, **{name: float(v[i]) for name, i in index.items()}}


def resistance_between(a: str, b: str, *, paths: Sequence[Path]) -> float:
    """Return the ohms a meter finds between two nodes with the power off: valves cold, sources away."""
    nodes = {n for p in paths for n in (p.a, p.b)} | {a, b}
    index = {name: i for i, name in enumerate(sorted(n for n in nodes if n != GROUND))}
    into = np.zeros(len(index))
    for node, way in ((a, 1.0), (b, -1.0)):
        if node in index:
            into[index[node]] += way
    v = np.linalg.solve(_conductances(paths, index), into)
    return float(sum(way * v[index[node]] for node, way in ((a, 1.0), (b, -1.0)) if node in index))


def input_current(volts: Mapping[str, float], sources: Sequence[Source]) -> float:
    """Return the current (A) that all sources give."""
    return sum((s.v - volts[s.node]) / s.ohm for s in sources)


def transconductance(valve: Valve, volts: Mapping[str, float]) -> float:
    """Return what a valve does with a small signal at its grid (S): the slope of its anode current, from volts at every node."""
    cathode = volts[valve.cathode]
    drive = valve.drive_v(volts[valve.grid] - cathode, volts[valve.screen] - cathode)
    across = volts[valve.anode] - cathode
    if drive <= 0 or across <= 0:
        return 0.0
    return 1.5 * valve.emission * valve.k * math.sqrt(drive) * (1.0 - valve.screen_share) * (1.0 - math.exp(-across / valve.knee_v))


def _conductances(paths: Sequence[Path], index: Mapping[str, int]) -> Floats:
    g = np.diag(np.full(len(index), LEAST_SIEMENS))
    for path in paths:
        siemens = 1.0 / path.ohm if path.ohm > 0 else 1e3
        ends = [index[n] for n in (path.a, path.b) if n in index]
        for i in ends:
            g[i, i] += siemens
        if len(ends) == 2:
            g[ends[0], ends[1]] -= siemens
            g[ends[1], ends[0]] -= siemens
    return g


def _newton(v: Floats, g: Floats, index: Mapping[str, int], valves: Sequence[Valve], sources: Sequence[Source]) -> Floats:
    linear = g.copy()
    fed = np.zeros(len(v))
    for s in sources:
        linear[index[s.node], index[s.node]] += 1.0 / s.ohm
        fed[index[s.node]] += s.v / s.ohm
    for _ in range(ROUNDS):
        now = linear @ v - fed
        slope = linear.copy()
        for valve in valves:
            # A valve's currents depend on its own few nodes only, so its slopes are taken there.
            here = np.zeros(len(v))
            _add_valve(here, v, index, valve)
            now += here
            for i in {index[n] for n in valve[:4] if n in index}:
                v[i] += STEP_V
                there = np.zeros(len(v))
                _add_valve(there, v, index, valve)
                v[i] -= STEP_V
                slope[:, i] += (there - here) / STEP_V
        step = np.linalg.solve(slope, -now)
        largest = float(np.abs(step).max())
        v = v + step * min(1.0, LONGEST_STEP_V / largest if largest > 0 else 1.0)
        if largest < SETTLED_V:
            return v
    raise ArithmeticError("the direct currents of this set do not settle")


def _add_valve(out: Floats, at: Floats, index: Mapping[str, int], valve: Valve) -> None:
    def volts(node: str) -> float:
        return float(at[index[node]]) if node in index else 0.0

    cathode, grid = volts(valve.cathode), volts(valve.grid)
    drive = valve.drive_v(grid - cathode, volts(valve.screen) - cathode)
    space = valve.emission * valve.k * max(0.0, drive) ** 1.5
    total = 0.0
    for node, share in ((valve.anode, 1.0 - valve.screen_share), (valve.screen, valve.screen_share)):
        across = volts(node) - cathode
        amperes = space * share * (1.0 - math.exp(-across / valve.knee_v)) if across > 0 and share > 0 else 0.0
        total += amperes
        if node in index:
            out[index[node]] += amperes
    into_grid = space / valve.beta if valve.beta else GRID_SIEMENS * valve.emission * max(0.0, grid - cathode)
    if valve.grid in index:
        out[index[valve.grid]] += into_grid
    if valve.cathode in index:
        out[index[valve.cathode]] -= total + into_grid
