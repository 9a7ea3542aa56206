"""Two coupled tuned circuits: the intermediate-frequency transformer.

With a_i = Q_i (f/f_i - f_i/f) and kappa = k sqrt(Q1 Q2) the transfer is
    T = 2 kappa / ((1 + j a1)(1 + j a2) + kappa^2),        T = 1 at kappa = 1 in tune.
F. E. Terman, Radio Engineers' Handbook, 1943, sec. 3, coupled circuits near resonance.

What follows for the hand that turns one core: with the partner at a2 the crest over a1 lies at
    a1 = kappa^2 a2 / (1 + a2^2),
so below kappa = 1 each turn shrinks the error left by the other by at least kappa^2, and rounds converge.
"""

import math

from calm_needle.core.physics.resonance import detuning


def pair_transfer(*, f_hz: float, f1_hz: float, q1: float, f2_hz: float, q2: float, kappa: float) -> complex:
    """Return the complex transfer T of a coupled pair at f_hz; frequencies in Hz, all above zero."""
    a1 = detuning(f_hz=f_hz, f0_hz=f1_hz, q_factor=q1)
    a2 = detuning(f_hz=f_hz, f0_hz=f2_hz, q_factor=q2)
    return 2.0 * kappa / ((1.0 + 1j * a1) * (1.0 + 1j * a2) + kappa * kappa)


def crest_of_one(*, a_partner: float, kappa: float) -> float:
    """Return the detuning a1 at which one core peaks while its partner is held at detuning a_partner."""
    return kappa * kappa * a_partner / (1.0 + a_partner * a_partner)


def is_double_humped(*, q1: float, q2: float, kappa: float) -> bool:
    """Return whether a pair tuned to one frequency shows two humps: kappa^2 > (Q1/Q2 + Q2/Q1) / 2."""
    return kappa * kappa > (q1 / q2 + q2 / q1) / 2.0


def decibels(ratio: float) -> float:
    """Return 20 log10 of a voltage ratio above zero."""
    return 20.0 * math.log10(ratio)
