"""Supply: the dropping resistor from one trial."""

from typing import NamedTuple

from calm_needle.core.physics.parts import nearest_stock
from calm_needle.errors import OutOfRange


class DroppingResistor(NamedTuple):
    """Resistor (ohm), its heat (W), current through it (A); nearest stock value (ohm), and the rating to fit (W, twice the heat); how far
    it can be trusted, in words.
    """

    r_ohm: float
    watts: float
    current_a: float
    stock_ohm: float
    rating_w: float
    verdict: str


METER_SHARE = 0.002  # by which two readings of one workshop meter may be out against each other
DOUBTED = 0.25  # of the result, that such an error may make of it


RATINGS_W = (0.25, 0.5, 1.0, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 25.0, 50.0, 100.0)


def dropping_resistor(*, r_trial_ohm: float, v_trial: float, v_wanted: float, v_source: float) -> DroppingResistor:
    """Return the resistor that brings a rail to the wanted volts, from the volts that one trial resistor gave.

    The load is taken as a constant resistance, which valves with their own bias nearly are; try once more after fitting.
    Source volts above both others, else OutOfRange.
    """
    for name, volts in (("v_trial", v_trial), ("v_wanted", v_wanted)):
        if not volts < v_source:
            raise OutOfRange(name, shown=f"{volts:g} V", wanted=f"below v_source, {v_source:g} V")
    load_ohm = v_trial * r_trial_ohm / (v_source - v_trial)
    current = v_wanted / load_ohm
    r = (v_source - v_wanted) / current
    watts = (v_source - v_wanted) * current
    # The current follows from a drop between two readings: the smaller it is, the more of it is the meter's own error.
    unsure = METER_SHARE * v_source / (v_source - v_trial) + METER_SHARE * v_source / (v_source - v_wanted)
    off = f"{100.0 * min(unsure, 9.99):.0f} %"
    verdict = "good" if unsure <= DOUBTED else f"doubtful: readings 0.2 % out make it {off} off; try a larger trial resistor"
    return DroppingResistor(r, watts, current, nearest_stock(r), next((w for w in RATINGS_W if w >= 2.0 * watts), 2.0 * watts), verdict)
