"""An intermediate-frequency transformer: two tuned windings, unequal Q, coupled."""

from dataclasses import dataclass

from calm_needle.core.physics.coupling import pair_transfer
from calm_needle.core.physics.resonance import inductance_h, resonant_frequency_hz
from calm_needle.sim.receiver.adjuster import Core, fraction_for


@dataclass
class Winding:
    """One tuned winding with its core."""

    adjuster_id: str
    c_f: float
    q_factor: float
    core: Core
    wound: float = 1.0  # inductance as wound anew, times the maker's

    def inductance_h(self) -> float:
        return self.wound * self.core.inductance_h()

    def frequency_hz(self) -> float:
        return resonant_frequency_hz(l_h=self.inductance_h(), c_f=self.c_f)

    def position_for(self, f_hz: float) -> float:
        """Return the position (turns) at which the winding resonates at f_hz, or the stop nearest to it."""
        wanted = inductance_h(f_hz=f_hz, c_f=self.c_f) / self.wound
        return self.core.travel_turns * fraction_for(wanted, l_min_h=self.core.l_min_h, l_max_h=self.core.l_max_h)


@dataclass
class Transformer:
    """Primary, secondary and their coupling; transfer 1 is two windings of critical coupling in tune."""

    name: str
    kappa: float
    primary: Winding
    secondary: Winding

    def transfer(self, f_hz: float) -> float:
        """Return |T| at a frequency (Hz)."""
        return abs(
            pair_transfer(
                f_hz=f_hz,
                f1_hz=self.primary.frequency_hz(),
                q1=self.primary.q_factor,
                f2_hz=self.secondary.frequency_hz(),
                q2=self.secondary.q_factor,
                kappa=self.kappa,
            )
        )
