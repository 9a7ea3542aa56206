"""An amplifying stage: a gain that follows its rails, that the gain control draws back, and that has an end."""

import math
from collections.abc import Sequence

from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, OneOrMany, Stage

SHARP = 4.0  # how suddenly it is at its end: v / (1 + (v / most)^SHARP)^(1 / SHARP)


class Amplifier(Stage):
    """gain; noise_ohm at its input; controlled: its share of the gain control's slope; most_v at its output (V r.m.s.); fed_through: the
    winding that feeds its anode or collector.
    """

    numbers = ("gain",)
    may_have = ("noise_ohm", "controlled", "most_v")

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.gain, self.noise_ohm = float(data["gain"]), float(data.get("noise_ohm", 0.0))
        self.controlled, self.most_v = float(data.get("controlled", 0.0)), float(data.get("most_v", math.inf))
        self.fed_through = str(data.get("fed_through", ""))

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return self.gain

    def scale(self, now: Now) -> float:
        return now.lives(self.fed_through) * drawn_back(self.controlled, now)

    def waves(self, waves: Sequence[Wave], now: Now) -> list[Wave]:
        out = Stage.waves(self, waves, now)
        return out if math.isinf(self.most_v) else limited(out, self.most_v)

    def noise_v2_per_hz(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return KTQ_W_PER_HZ * self.noise_ohm * self.gain**2


def drawn_back(share: float, now: Now) -> float:
    """Return what the gain control leaves of a stage's gain that has this share of its slope."""
    return 1.0 if now.drawn_back <= 1.0 or not share else float(now.drawn_back ** (-now.slope * share))


def limited(waves: Sequence[Wave], most_v: float) -> list[Wave]:
    """Return waves held to most_v together (V r.m.s.); what is on them is flattened by the slope that is left."""
    together = math.sqrt(sum(w.v * w.v for w in waves))
    over = (together / most_v) ** SHARP
    held, slope = (1.0 + over) ** (-1.0 / SHARP), 1.0 / (1.0 + over)
    return [w.times(held)._replace(am_depth=w.am_depth * slope) for w in waves]
