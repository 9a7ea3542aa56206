"""What the links of a single tuned winding have in common."""

from collections.abc import Mapping, Sequence

from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.stages.stage import Stage
from calm_needle.sim.receiver.transformer import Winding


class OneWinding(Stage):
    """A link with one winding and its core, tuned to the intermediate frequency."""

    winding: Winding

    @property
    def adjusters(self) -> Mapping[str, Adjuster]:
        return {self.winding.adjuster_id: self.winding.core}

    @property
    def windings(self) -> Sequence[Winding]:
        return (self.winding,)

    def align(self, f_hz: float) -> None:
        self.winding.core.position_turns = self.winding.position_for(f_hz)
