"""The frequencies of a superheterodyne."""

import math
from typing import Literal, NamedTuple

from calm_needle.core.physics.resonance import require_positive
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

Side = Literal["above", "below"]
Heard = Literal["signal", "image", "other side", "intermediate frequency"]
NEAR_IF, AT_IF = 0.05, 0.008  # shares about the intermediate frequency: of a mark that is nearly it; of what is taken for it
IMAGE_WITHIN = 0.5  # of the intermediate frequency, about an image's place


class FrequencyPlan(NamedTuple):
    """Where the oscillator is, where other signals get through, and the other dial position that receives the same signal."""

    lo_hz: float
    image_hz: float
    half_if_hz: float
    false_dial_hz: float


def frequency_plan(*, dial_hz: float, if_hz: float, side: Side) -> FrequencyPlan:
    """Return oscillator, image and half-IF frequency (Hz) for a dial frequency, an IF, and the oscillator's side.

    The half-IF response is a signal half way to the oscillator, whose second harmonic mixes with the oscillator's.
    Raises OutOfRange for a frequency not above zero, NoAnswer when an oscillator below would need none or a negative one.

    >>> frequency_plan(dial_hz=1e6, if_hz=468e3, side="above")
    FrequencyPlan(lo_hz=1468000.0, image_hz=1936000.0, half_if_hz=1234000.0, false_dial_hz=64000.0)
    """
    require_positive("dial_hz", dial_hz, "Hz")
    require_positive("if_hz", if_hz, "Hz")
    if side not in ("above", "below"):
        raise OutOfRange("side", shown=f"“{side}”", wanted="“above” or “below”")
    sign = 1.0 if side == "above" else -1.0
    plan = FrequencyPlan(dial_hz + sign * if_hz, dial_hz + sign * 2.0 * if_hz, dial_hz + sign * if_hz / 2.0, dial_hz - sign * 2.0 * if_hz)
    if plan.lo_hz <= 0:
        raise NoAnswer(
            f"An oscillator below the signal would be at {format_si(plan.lo_hz, unit='Hz')}: "
            f"the dial is not above the IF. Such a set has its oscillator above."
        )
    return plan


def what_is_heard(*, receives_hz: float, mark_hz: float, if_hz: float, sign: int) -> Heard:
    """Return what a response at receives_hz is, the pointer standing at mark_hz: the one wanted, or the nearest of the others.

    sign: +1 where the oscillator runs above the signal. other side: the oscillator was set to the image's side. A response that the mark
    explains better than anything else is the signal, however far off.
    """
    places: dict[Heard, float] = {"signal": mark_hz, "image": mark_hz + 2.0 * sign * if_hz, "other side": mark_hz - 2.0 * sign * if_hz}
    near = {name: abs(receives_hz - at) for name, at in places.items() if at > 0.0}
    if abs(mark_hz / if_hz - 1.0) > NEAR_IF and abs(receives_hz / if_hz - 1.0) < AT_IF:
        return "intermediate frequency"
    best = min(near, key=near.__getitem__)
    return best if near[best] < IMAGE_WITHIN * if_hz or best == "signal" else "signal"


def image_ratio_db(*, f_hz: float, if_hz: float, q: float, circuits: int, side: Side) -> float:
    """Return how far (dB) the image is down behind so many signal circuits of equal Q, all tuned to f_hz.

    Each passes 1/sqrt(1 + Q^2 (f_i/f - f/f_i)^2). Coupling between the circuits and what leaks past them is neglected.
    """
    image = frequency_plan(dial_hz=f_hz, if_hz=if_hz, side=side).image_hz
    if image <= 0:
        raise NoAnswer(f"if_hz: with the oscillator {side} there is no image of {format_si(f_hz, unit='Hz')}; it would lie below zero.")
    a = q * (image / f_hz - f_hz / image)
    return 10.0 * circuits * math.log10(1.0 + a * a)
