"""The power side of a practice set: what stands at its rails and electrodes, what it draws, what a meter finds across a part.

Volts follow from the dossier's circuit, the true parts and the time the set has been on: heaters come up, leaks grow with warmth. The
clock is the caller's, so a person at a practice set can let time go by.
"""

import math
from collections.abc import Callable, Mapping
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.sim.receiver.network import GROUND, KNEE_V, Path, Source, Valve, input_current, resistance_between, solve, transconductance
from calm_needle.sim.receiver.true_parts import TrueParts

HEATER_TAU_S = 14.0
EMISSION_FROM = 0.45  # share of full heater volts under which nothing is emitted
HEATER_COLD_TIMES = 1.8  # what cold heaters draw, times the warm current


class Supply:
    """Rails, electrodes and parts of one practice set. `clock` gives seconds."""

    def __init__(self, model: Model, parts: TrueParts, *, clock: Callable[[], float]) -> None:
        self.parts = parts
        self._data: Mapping[str, Any] = model.simulation["supply"]
        self._clock = clock
        self._nodes = {str(k): str(v) for k, v in self._data.get("points", {}).items()}
        self.share, self._since_s = 0.0, clock()
        self.was_on = False  # whether anybody has switched it on yet
        self._warm, self._heat_s = 0.0, 0.0
        self._last: dict[str, float] | None = None

    def power(self, share: float) -> None:
        """Give the set this share (0..1) of full power from now on; warmth goes on from where it was."""
        self._warm, self._heat_s = self._heaters(), self.heated_s()
        self.share, self._since_s = share, self._clock()
        self.was_on = self.was_on or share > 0.0

    def warmth(self) -> tuple[float, float]:
        """Return how warm its heaters are (0..1), and how long its parts have warmed (s)."""
        return self._heaters(), self.heated_s()

    def warmed(self, heaters: float, heated_s: float) -> None:
        """Let it be as warm as that from now on."""
        self._warm, self._heat_s, self._since_s = heaters, heated_s, self._clock()

    def heated_s(self) -> float:
        """Return how long the set's parts have warmed, in seconds at full power; off, it is cold again after some minutes."""
        passed = self._clock() - self._since_s
        if self.share == 0.0:
            return self._heat_s * math.exp(-passed / 300.0)
        return self._heat_s + passed * self.share**2

    def volts(self, point: str) -> float:
        """Return the direct volts at a test point or node. Raises KeyError for one the circuit does not have."""
        state = self._state()
        if drive := self._data.get("grid_drive", {}).get(point):
            # An oscillator biases its own grid, in step with the rail it runs from; not at all before its cathode is warm.
            return float(drive["v"] * state[drive["node"]] / drive["at_v"] * self.emission())
        return state[self._nodes.get(point, point)]

    def knows(self, point: str) -> bool:
        """Whether the circuit has such a point."""
        return point in self._data.get("grid_drive", {}) or self._nodes.get(point, point) in self._all_nodes()

    def input_a(self) -> float:
        """Return the current (A r.m.s.) drawn from the mains."""
        line = self._data["line"]
        direct = input_current(self._state(), self._sources())
        cold = HEATER_COLD_TIMES - (HEATER_COLD_TIMES - 1.0) * self._heaters()
        return float(self.share * (line["heater_a"] * cold + line.get("standing_a", 0.0)) + direct * line["times"])

    def slopes(self) -> dict[str, float]:
        """Return the transconductance (S) of every valve whose anode is fed through a winding, by the winding's part."""
        fed = {p["b"]: str(p["part"]) for p in self._data["paths"] if self.parts.data(p["part"])["kind"] == "winding"}
        state = self._state()
        return {fed[v.anode]: transconductance(v, state) for v in self._valves() if v.anode in fed}

    def ohms(self, part: str, *, lifted: bool) -> float:
        """Return what an ohmmeter finds across a part with the power off: the part alone, or with all that lies across it."""
        data, true = self.parts.data(part), self.parts[self.parts.insulated(part)]
        if data["kind"] == "insulation":
            return true.leak_ohm(self.heated_s())
        if lifted or part not in {p.part for p in self._paths()}:
            return true.value if data["kind"] not in ("capacitor", "device") else math.inf
        path = next(p for p in self._paths() if p.part == part)
        return resistance_between(path.a, path.b, paths=self._paths())

    def _heaters(self) -> float:
        """Warmth of the heaters, 0..1."""
        passed = self._clock() - self._since_s
        return self.share + (self._warm - self.share) * math.exp(-passed / HEATER_TAU_S)

    def decoupled(self, point: str) -> bool:
        """Whether a point is one where no signal stands: a node of the circuit that no winding feeds a valve through."""
        node = self._nodes.get(point)
        anodes = {v["anode"] for v in self._data["valves"]}
        return node is not None and node not in anodes

    def emission(self) -> float:
        """Return what a good valve emits of its full emission, 0..1."""
        if not self._data.get("heaters", True):
            return 1.0 if self.share > 0.0 else 0.0
        return max(0.0, min(1.0, (self._heaters() - EMISSION_FROM) / (1.0 - EMISSION_FROM)))

    def _all_nodes(self) -> set[str]:
        return {n for p in self._paths() for n in (p.a, p.b)} | {s.node for s in self._sources()}

    def _paths(self) -> list[Path]:
        paths = [Path(r["part"], r["a"], r["b"], self.parts[r["part"]].value) for r in self._data["paths"]]
        warm_s = self.heated_s()
        return paths + [
            Path(f"{r['part']} leak", r["a"], r["b"], self.parts[r["part"]].leak_ohm(warm_s)) for r in self._data.get("leaks", ())
        ]

    def _sources(self) -> list[Source]:
        return [Source(s["node"], s["v"] * self.share, s["ohm"]) for s in self._data["sources"]]

    def _valves(self) -> list[Valve]:
        emission = self.emission()
        return [
            Valve(
                *(v["anode"], v["screen"], v["cathode"], v.get("grid", GROUND), v["k"], v["mu"], v["screen_share"]),
                emission=emission * (min(1.0, self.parts[v["part"]].value / 100.0) if "part" in v else 1.0),
                cut_in_v=float(v.get("cut_in_v", 0.0)),
                knee_v=float(v.get("knee_v", KNEE_V)),
                beta=float(v.get("beta", 0.0)),
            )
            for v in self._data["valves"]
        ]

    def _state(self) -> dict[str, float]:
        self._last = solve(paths=self._paths(), valves=self._valves(), sources=self._sources(), near=self._last)
        return self._last


def drawn_slopes(model: Model) -> dict[str, float] | None:
    """Return the slopes of a model's valves (S) with every part as drawn, once it is warm: what its gains are meant for.

    Valves that are cut off as drawn are left out. None where no state of the circuit is found: nothing follows from it then.
    """
    clock = [0.0]
    supply = Supply(model, TrueParts.drawn(model), clock=lambda: clock[0])
    supply.power(1.0)
    clock[0] = 100.0 * HEATER_TAU_S
    try:
        return {winding: slope for winding, slope in supply.slopes().items() if slope > 0}
    except ArithmeticError:
        return None
