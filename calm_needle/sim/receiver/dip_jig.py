"""A winding between generator and meter: what comes through it, which is least where it resonates.

    generator --- winding, one end lifted, its capacitors still across it ---+--- diode probe and d.c. meter
                                                                             |
                                                                          JIG_OHM
                                                                             |
                                                                          chassis
The partner winding is shorted for the test: it would draw the dip apart into two. What it then still does, k² of some parts in ten
thousand, is left out.
"""

import math

from calm_needle.sim.receiver.transformer import Winding

JIG_OHM = 47e3


def direct_volts(winding: Winding, *, f_hz: float, level_v: float, clamped_f: float = 0.0, broken: bool = False) -> float:
    """Return the direct volts of the probe, which holds the peak of what comes through at f_hz.

    clamped_f (F): held across for the test; broken: the winding is open, and only what lies across it carries anything.
    """
    w = 2.0 * math.pi * f_hz
    reactance = w * winding.inductance_h()
    # Losses in series, the Q taken as the same at every frequency near its own.
    coil = 0.0 if broken else 1.0 / complex(reactance / winding.q_factor, reactance)
    through = 1.0 / (coil + 1j * w * (winding.c_f + clamped_f))
    return level_v * math.sqrt(2.0) * abs(JIG_OHM / (JIG_OHM + through))
