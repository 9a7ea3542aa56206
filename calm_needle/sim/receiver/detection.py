"""From the IF strip to the loudspeaker: gain control, envelope detector, audio, noise."""

import math
from typing import NamedTuple


class Audio(NamedTuple):
    """What reaches the loudspeaker winding: tone and noise, volts r.m.s."""

    tone_v: float
    noise_v: float


def controlled(carrier_v: float, *, threshold_v: float, slope: float) -> float:
    """Return the detector carrier (V) behind the gain control: V0 below the threshold, V_th (V0/V_th)^(1/(1+s)) beyond it."""
    if carrier_v <= threshold_v:
        return carrier_v
    return threshold_v * math.pow(carrier_v / threshold_v, 1.0 / (1.0 + slope))


def detect(*, carrier_v: float, noise_v: float, depth: float, efficiency: float, audio_gain: float) -> Audio:
    """Return the audio that a diode makes of a carrier (V peak of the unmodulated wave) in noise (V r.m.s. in the IF band).

    A weak carrier is suppressed by the noise it stands in: its tone is taken as reduced by 1 - exp(-C/N), which is 1 well
    above the threshold and C/N far below it. The envelope's noise well above the threshold is the in-phase half of the
    band's; below it the rectified noise remains, much of the same size, and is not modelled apart.
    """
    ratio = (carrier_v * carrier_v / 2.0) / (noise_v * noise_v) if noise_v > 0 else math.inf
    tone = depth * carrier_v / math.sqrt(2.0) * efficiency * audio_gain * (1.0 - math.exp(-min(ratio, 700.0)))
    return Audio(tone, noise_v * efficiency * audio_gain)
