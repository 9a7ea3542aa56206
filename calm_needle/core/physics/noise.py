"""Noise, and what it leaves audible. N = k T0 B F with T0 = 290 K (J. B. Johnson, Phys. Rev. 32 (1928) 97)."""

import math
from typing import NamedTuple

from calm_needle.core.constants import BOLTZMANN_J_PER_K, REFERENCE_TEMPERATURE_K
from calm_needle.errors import NoAnswer


class Sensitivity(NamedTuple):
    """A level as e.m.f. and terminated p.d. (V r.m.s.) and as power into a matched load (dBm)."""

    emf_v: float
    pd_v: float
    dbm: float


class Discernible(NamedTuple):
    """The level equal to the noise: dBm, and as e.m.f. (V)."""

    dbm: float
    emf_v: float


def noise_power_w(*, bandwidth_hz: float, nf_db: float) -> float:
    """Return the noise referred to the input (W) of a receiver of this noise bandwidth (Hz) and noise figure (dB)."""
    return BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K * bandwidth_hz * math.pow(10.0, nf_db / 10.0)


def carrier_to_noise(*, depth: float, ratio_db: float) -> float:
    """Return the C/N (a power ratio) that an AM signal of this depth (0..1) needs for an audio (S+N)/N (dB, above zero).

    Envelope detector well above its threshold: S/N = m^2 C/N. Below a C/N of about 10 the diode suppresses the weak signal and
    more is needed than this says.
    """
    over = math.pow(10.0, ratio_db / 10.0) - 1.0
    if over <= 0:
        raise NoAnswer("ratio_db: a (S+N)/N of 0 dB is noise alone. Give a ratio above zero; 10 dB is usual.")
    return over / (depth * depth)


def am_sensitivity(*, nf_db: float, bandwidth_hz: float, r_ohm: float, depth: float = 0.3, ratio_db: float = 10.0) -> Sensitivity:
    """Return the AM signal that gives an audio (S+N)/N of ratio_db: available carrier power E^2 / 4R = C/N times k T0 B F."""
    carrier_w = noise_power_w(bandwidth_hz=bandwidth_hz, nf_db=nf_db) * carrier_to_noise(depth=depth, ratio_db=ratio_db)
    emf_v = math.sqrt(4.0 * r_ohm * carrier_w)
    return Sensitivity(emf_v, emf_v / 2.0, 10.0 * math.log10(carrier_w / 1e-3))


def noise_figure_db(*, emf_v: float, bandwidth_hz: float, r_ohm: float, depth: float = 0.3, ratio_db: float = 10.0) -> float:
    """Return the noise figure (dB) that a measured AM sensitivity (e.m.f., V) stands for; the reverse of am_sensitivity.

    Raises NoAnswer below 0 dB: no receiver is that good, so level, bandwidth or source resistance is not what was thought.
    """
    carrier_w = emf_v * emf_v / (4.0 * r_ohm)
    ideal_w = noise_power_w(bandwidth_hz=bandwidth_hz, nf_db=0.0) * carrier_to_noise(depth=depth, ratio_db=ratio_db)
    nf_db = 10.0 * math.log10(carrier_w / ideal_w)
    if nf_db < -0.05:
        raise NoAnswer(
            f"emf_v: that would be a noise figure of {nf_db:.1f} dB, and none is below zero. "
            "See whether it was p.d. instead of e.m.f., or another bandwidth_hz or r_ohm."
        )
    return max(0.0, nf_db)


def minimum_discernible(*, nf_db: float, bandwidth_hz: float, r_ohm: float = 50.0) -> Discernible:
    """Return the signal equal to the noise (3 dB rise): -174 dBm + 10 log B + NF; as e.m.f. at r_ohm too."""
    power_w = noise_power_w(bandwidth_hz=bandwidth_hz, nf_db=nf_db)
    return Discernible(10.0 * math.log10(power_w / 1e-3), 2.0 * math.sqrt(power_w * r_ohm))
