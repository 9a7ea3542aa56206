"""What only the practice set knows of itself: where its strip peaks, what it loses there, and the best that it can do."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.sim.receiver.chain import Chain
from calm_needle.sim.receiver.signal import Now

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")

SPAN_HZ, STEP_HZ = 10e3, 25.0  # about the nominal frequency


class Truth(NamedTuple):
    """peak_hz; how far the strip is below the aligned gain at the nominal frequency (dB), now and at best.

    At best: every core at its optimum within its reach, a waxed one where it is.
    """

    peak_hz: float
    loss_db: float
    best_loss_db: float


def truth_of(chain: Chain, now: Now, *, if_hz: float) -> Truth:
    """Return the truth about the links from the mixer on."""
    strip = chain.stages[chain.mixer :]
    f = if_hz + np.arange(-SPAN_HZ, SPAN_HZ + STEP_HZ / 2.0, STEP_HZ)
    response = np.ones(len(f))
    for stage in strip:
        response = response * stage.transfer(f, now)
    ideal, best, here = (
        math.prod(s.ideal(if_hz, now) for s in strip),
        math.prod(s.best(if_hz, now) for s in strip),
        math.prod(s.transfer(if_hz, now) for s in strip),
    )
    return Truth(
        float(f[int(np.argmax(response))]),
        20.0 * math.log10(ideal / here),
        20.0 * math.log10(ideal / best) if best else math.inf,
    )
