"""Supply."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.physics import supply
from calm_needle.core.pictures import Curves, Line, Mark, Picture
from calm_needle.core.reckon.calculator import Calculator, Key, Result

Values = Mapping[str, Any]


def _resistor_picture(inputs: Values, results: Values) -> Picture:
    load = inputs["v_trial"] * inputs["r_trial_ohm"] / (inputs["v_source"] - inputs["v_trial"])
    most = 2.0 * max(results["r_ohm"], inputs["r_trial_ohm"])
    points = [(most * i / 60.0, inputs["v_source"] * load / (load + most * i / 60.0)) for i in range(61)]
    marks = [Mark(inputs["r_trial_ohm"], "trial", inputs["v_trial"], "before"), Mark(results["r_ohm"], "fit", inputs["v_wanted"], "after")]
    return Curves("The rail over the resistor", "Ω", "V", [Line("rail", points)], marks)


CALCULATORS = (
    Calculator(
        "dropping-resistor",
        "Dropping resistor from one trial",
        "supply",
        "the resistor that brings a rail to its volts",
        (
            Key("r_trial_ohm", "Ω", "Trial resistor", "47", sensible=(0.1, 1e6)),
            Key("v_trial", "V", "Rail with it", "139.1 V", sensible=(0.1, 5e3)),
            Key("v_wanted", "V", "Rail wanted", "131.5 V", sensible=(0.1, 5e3)),
            Key("v_source", "V", "Source, before it", "142 V", sensible=(0.1, 5e3)),
        ),
        supply.dropping_resistor,
        (
            Result("r_ohm", "Resistor", "Ω"),
            Result("watts", "It dissipates", "W", 3),
            Result("current_a", "Current", "A", 3),
            Result("stock_ohm", "Nearest stock value", "Ω", 2),
            Result("rating_w", "Rating to fit", "W", 2),
            Result("verdict", "How far to trust it"),
        ),
        "Fit {stock_ohm} ({r_ohm} exactly), rated {rating_w} or more: it dissipates {watts}. {verdict}.",
        (
            "load = {v_trial} × {r_trial_ohm} / ({v_source} − {v_trial})",
            "current at {v_wanted}: {current_a}",
            "({v_source} − {v_wanted}) / {current_a} = {r_ohm}; × the current = {watts}",
        ),
        (
            "The load is taken as a constant resistance; try once more after fitting.",
            "Safety parts: same class, same flameproof kind. Power off and capacitors bled before a resistor is changed.",
        ),
        _resistor_picture,
    ),
)
