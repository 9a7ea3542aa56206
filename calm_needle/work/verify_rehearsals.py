"""Rehearsed verifications: a practice set measured by the program's own routines, each figure with its uncertainty beside the truth.

So that anybody can count how often the truth lies within what was stated, and how often a verdict was wrong. The instruments' errors are
drawn anew by each seed; so is the set, unless it is to be the same again and again.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from scipy.optimize import brentq

from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.dossier.read import read_model
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.verification.curves import OVERLOADED_DB, gain_control
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.core.verification.measures import MEASURES, judge, limit_of, uncertainty_of
from calm_needle.errors import CalmNeedleError
from calm_needle.files.dossiers import load_dossier
from calm_needle.sim.instruments.generator import LEVEL_OFF_DB
from calm_needle.sim.receiver.dial_truth import set_right
from calm_needle.sim.receiver.practice import Misalignment, PracticeReceiver
from calm_needle.sim.receiver.sensitivity_truth import level_for, output_for
from calm_needle.sim.rig import instruments_at
from calm_needle.work.instruments import soundings, verifying
from calm_needle.work.instruments.inside import LeapingClock, equipment_of
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.soundness.bands import at_the_aerial, middle_of

WARM_S = 1800.0
LOOKED_HZ = 250.0  # how near each other a response is looked at for where it is greatest
VERDICTS = {"good": "pass", "stop": "fail", "watch": "undecided", "blank": "no limit"}
STANDARD = DEFINITIONS["standard-output"]


class _Set(NamedTuple):
    """What is measured, and by what."""

    model: Model
    receiver: PracticeReceiver
    meters: Meters
    point: str
    standard_v: float

    def level_v(self, band: Band, definition: Any, *, f_hz: float, dial_hz: float, standard_v: float | None = None) -> float:
        """The true level (V) that meets a definition at f_hz. standard_v: another output for that of the standard."""
        wanted_v = standard_v or self.standard_v
        return level_for(self.receiver, band, f_hz=f_hz, dial_hz=dial_hz, definition=definition, standard_v=wanted_v, point=self.point)


def _sensitivity(the: _Set, band: Band, values: Mapping[str, Any]) -> float:
    definition = DEFINITIONS[values["definition"]]
    return the.level_v(band, definition, f_hz=values["at_hz"], dial_hz=values["pointer_hz"])


def _image(the: _Set, band: Band, values: Mapping[str, Any]) -> float:
    side = 1.0 if band.side == "above" else -1.0
    return _ratio(the, band, values, [values["at_hz"] + 2.0 * side * band.if_hz + d for d in soundings.IMAGE_BESIDE_HZ])


def _if_ratio(the: _Set, band: Band, values: Mapping[str, Any]) -> float:
    return _ratio(the, band, values, [band.if_hz + d for d in soundings.IMAGE_BESIDE_HZ])


def _ratio(the: _Set, band: Band, values: Mapping[str, Any], others_hz: Sequence[float]) -> float:
    dial_hz = values["pointer_hz"]
    signal_v = the.level_v(band, STANDARD, f_hz=values["at_hz"], dial_hz=dial_hz)
    other_v = min(the.level_v(band, STANDARD, f_hz=f, dial_hz=dial_hz) for f in others_hz)
    return gain_db(from_v=signal_v, to_v=other_v) if math.isfinite(other_v) and math.isfinite(signal_v) else math.inf


def _width(the: _Set, band: Band, values: Mapping[str, Any]) -> float:
    """Where, either side, the level for the same output is twice what it is where it is least."""
    wanted_v = float(values["output_v"])

    def level_v(offset_hz: float) -> float:
        f_hz = values["at_hz"] + offset_hz
        return the.level_v(band, STANDARD, f_hz=f_hz, dial_hz=values["pointer_hz"], standard_v=wanted_v)

    farthest = max(abs(o) for o in values["offsets_hz"])
    looked = np.arange(-farthest, farthest + LOOKED_HZ, LOOKED_HZ)
    levels = [level_v(float(o)) for o in looked]
    least = int(np.argmin(levels))
    edges_hz = []
    for way in (1, -1):
        beyond = next((k for k in range(least, len(looked) if way > 0 else -1, way) if levels[k] > 2.0 * levels[least]), None)
        if beyond is None:
            return math.inf
        edges_hz.append(float(brentq(lambda o: math.log(level_v(o) / levels[least] / 2.0), looked[beyond - way], looked[beyond], xtol=0.5)))
    return edges_hz[0] - edges_hz[1]


def _output_rises(the: _Set, band: Band, values: Mapping[str, Any]) -> float:
    """The same over the levels of the measurement, from where it has the output held."""
    held_v = gain_control(levels_v=values["levels_v"], outputs_v=values["outputs_v"]).begins_v or values["levels_v"][0]
    outputs_v = [
        output_for(the.receiver, band, level_v=v, f_hz=values["at_hz"], dial_hz=values["pointer_hz"], point=the.point)
        for v in values["levels_v"]
        if v >= held_v
    ]
    overloaded = gain_db(from_v=outputs_v[-1], to_v=max(outputs_v)) > OVERLOADED_DB
    return gain_db(from_v=outputs_v[0], to_v=max(outputs_v) if overloaded else outputs_v[-1])


Truth = Callable[[_Set, Band, Mapping[str, Any]], float]
MEASURED: tuple[tuple[str, str, Truth], ...] = (
    *(("sensitivity", name, _sensitivity) for name in ("s-plus-n", "sinad", "standard-output")),
    ("image", "standard-output", _image),
    ("if-ratio", "standard-output", _if_ratio),
    ("selectivity", "standard-output", _width),
    ("gain-control", "standard-output", _output_rises),
)


def verify(
    content: bytes, *, name: str, seed: int, set_seed: int | None = None, misalign: Misalignment = "light"
) -> Iterator[dict[str, Any]]:
    """Yield each figure of one verification: measure, band, definition, value, u95, truth, limit (or None), verdict. A level is in volts
    and its u95 in decibels; a ratio is in decibels. What a generator does not reach is left out.

    Raises FileRefused for a dossier with faults.
    """
    model = read_model(filled_in(load_dossier(content, name=name))[0])
    clock = LeapingClock()
    receiver = PracticeReceiver(model, seed=seed if set_seed is None else set_seed, misalign=misalign, clock=clock.monotonic)
    if misalign == "none":
        receiver.align_strip()
        for band in receiver.dial.bands.values():
            set_right(receiver, band)
    if receiver.supply:
        receiver.supply.power(1.0)
        receiver.clock.let_pass(WARM_S)
    equipment = equipment_of(instruments_at(receiver, keep=lambda: None, seed=seed), clock)
    point, standard_v = at_the_aerial(model)
    the = _Set(model, receiver, Meters(equipment), point, standard_v)
    try:
        for band in (b for b in model.bands if b.id in receiver.dial.bands):
            for measure, definition, truth in MEASURED:
                found = _figure(the, band, measure, definition, truth)
                if found:
                    yield {"dossier": model.key, "seed": seed, "set_seed": receiver.seed, **found}
    finally:
        equipment.close()


def _figure(the: _Set, band: Band, name: str, definition: str, truth: Truth) -> dict[str, Any] | None:
    measure, at_hz = MEASURES[name], middle_of(band)
    side = 1.0 if band.side == "above" else -1.0
    asked = verifying.Asked(
        band,
        at_hz,
        the.point,
        the.standard_v,
        DEFINITIONS[definition],
        at_hz + 2.0 * side * band.if_hz,
        band.if_hz,
        the.model.output_point(),
    )
    try:
        found = verifying.measure(the.meters, measure.routine, asked)
    except CalmNeedleError:
        return None
    values = {**found.values, "band": band.id}
    figure = measure.figures(values)[0]
    true = truth(the, band, values)
    if figure.value is None or not math.isfinite(true) or "more than" in figure.name:
        return None
    sigma = math.hypot(found.sigma or 0.0, LEVEL_OFF_DB) if figure.unit == "V" else found.sigma
    sure = uncertainty_of(figure, sigma=sigma, of_levels=True)
    limit = limit_of(measure, the.model.specifications, values)
    verdict = judge(figure, limit, u95=sure.u95, in_db=sure.in_db)
    bound = None if limit is None else limit.most if limit.most is not None else limit.least
    return {
        "measure": name,
        "band": band.id,
        "definition": definition,
        "value": figure.value,
        "u95": sure.u95,
        "truth": true,
        "unit": figure.unit,
        "limit": bound,
        "verdict": VERDICTS[verdict.state],
    }
