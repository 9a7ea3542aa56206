"""The oscilloscope's trace as the bench page draws it."""

from typing import Any, NamedTuple

from calm_needle.bench.kinds import KINDS
from calm_needle.bench.oscilloscope import Oscilloscope, Trace
from calm_needle.core.dossier.model import Step
from calm_needle.core.quantities import format_si

WIDTH, MIDDLE, HALF = 714.0, 108.5, 96.0
PERIODS = 3.0  # of the generator's tone, over the width
USUAL_TIME_S = 5e-3
SCOPES = frozenset(k.id for k in KINDS.values() if k.driver is Oscilloscope)


class About(NamedTuple):
    """What a step wants to see: over how long (s), and in words."""

    time_s: float
    words: str


def about(step: Step | None) -> About | None:
    """Return what is to be seen on the oscilloscope in a step, or None where it does not want one."""
    watched = step.set_up.watched if step else None
    if step is None or watched is None or watched.instrument not in SCOPES:
        return None
    source = step.set_up.source
    time_s = PERIODS / source.tone_hz if source and source.tone_hz else USUAL_TIME_S
    return About(time_s, f"The {watched.quantity} {watched.where}.")


def drawn(trace: Trace, wanted: About) -> dict[str, Any]:
    """Return the trace as a path, what its height and its width are, and how high it is, in words."""
    n = len(trace.volts)
    places = (f"{WIDTH * i / (n - 1):.1f} {MIDDLE - HALF * 2.0 * v / trace.range_v:.1f}" for i, v in enumerate(trace.volts))
    high = max(trace.volts) - min(trace.volts)
    return {
        "path": "M" + " L".join(places),
        "range": f"{format_si(trace.range_v, unit='V', digits=2)} from bottom to top",
        "time": f"{format_si(trace.time_s, unit='s', digits=2)} from left to right",
        "words": f"{wanted.words} {format_si(high, unit='V', digits=2)} peak to peak.",
    }
