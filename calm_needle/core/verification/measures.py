"""The table of measurements of the verification: what each asks, the figures it comes to, its curve, and what the papers may say of it.

Values are SI floats, lists of them, or words, by the names of what is asked. By instruments or by hand, they come to the same.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from calm_needle.core.constants import K95
from calm_needle.core.form import Ask
from calm_needle.core.physics.drift import fit_drift
from calm_needle.core.physics.frequency import clear_window, frequency_error
from calm_needle.core.pictures import Curves, Line, Mark
from calm_needle.core.procedure.front_end.advice import USUAL_Q
from calm_needle.core.quantities import digits_by, format_si
from calm_needle.core.verdict import Verdict
from calm_needle.core.verification import curves
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import NoAnswer, OutOfRange

Values = Mapping[str, Any]
PLACE = 0.005  # how near a place on a dial is meant
NO_FILTER = "none"
FILTERS = (NO_FILTER, "crystal", "ceramic", "mechanical")  # as service data name what makes a strip narrower
Better = Literal["less", "more", "near", ""]
AT = Ask("at_hz", "At", "Hz", "1 MHz; where the set is tuned", optional=True)


class Figure(NamedTuple):
    """One figure: what it is, its value (None: not reached), its unit; signed: it has a way; u95: its own uncertainty (95 %, in its unit),
    where that follows from what was measured itself; per_db: how far a decibel of the levels moves it (in its unit)."""

    name: str
    value: float | None
    unit: str
    signed: bool = False
    digits: int = 3
    u95: float | None = None
    per_db: float = 0.0

    @property
    def shown(self) -> str:
        """As it is shown."""
        return "not reached" if self.value is None else format_si(self.value, unit=self.unit, digits=self.digits, signed=self.signed)


class Uncertainty(NamedTuple):
    """An uncertainty (95 %): of a figure in its own unit, or of a level in decibels; 0 where none is known."""

    u95: float
    in_db: bool = False

    def words(self, unit: str) -> str:
        """As a page says it; empty where none is known."""
        if not self.u95:
            return ""
        if self.in_db or unit == "dB":
            return f"±\u00a0{self.u95:.1f}\u00a0dB"
        return f"±\u00a0{format_si(self.u95, unit=unit, digits=2)}"


def uncertainty_of(figure: Figure, *, sigma: float | None, of_levels: bool) -> Uncertainty:
    """Return how sure a figure is. sigma: the standard deviation that was kept with it: of_levels, of the levels (dB) that it was found by,
    which say nothing of a width or a frequency; else of itself."""
    if figure.u95 is not None:
        return Uncertainty(math.hypot(figure.u95, K95 * (sigma or 0.0) * figure.per_db))
    if not sigma or (of_levels and figure.unit not in ("V", "dB")):
        return Uncertainty(0.0)
    return Uncertainty(K95 * sigma, in_db=figure.unit == "V")


def with_digits(figures: tuple[Figure, ...], sure: Uncertainty) -> tuple[Figure, ...]:
    """Return figures, the first with the digits that its uncertainty leaves."""
    main = figures[0]
    if not sure.u95 or not main.value:
        return figures
    own = abs(main.value) * (10.0 ** (sure.u95 / 20.0) - 1.0) if sure.in_db else sure.u95
    return (main._replace(digits=digits_by(main.value, u95=own)), *figures[1:])


class Limit(NamedTuple):
    """What the papers allow: at least, at most, or about so much; and how they say it."""

    words: str
    least: float | None = None
    most: float | None = None


@dataclass(frozen=True)
class Measure:
    """One kind of measurement. per: whether each band has its own; better: which way its main figure (the first) is better.

    routine: what the instruments do for it, empty where they cannot; sounding: the tone is loud meanwhile; limit: what a specification of a
    dossier says of its main figure, None where it is about something else.
    """

    name: str
    title: str
    why: str
    per: Literal["band", "set"]
    asks: tuple[Ask, ...]
    figures: Callable[[Values], tuple[Figure, ...]]
    better: Better = ""
    routine: str = ""
    draws: Callable[[Values], Curves | None] | None = None
    limit: Callable[[Mapping[str, Any], Values], Limit | None] | None = None


def _sensitivity(v: Values) -> tuple[Figure, ...]:
    return (Figure(DEFINITIONS[v["definition"]].short, v["level_v"], "V"),)


def _sensitivity_limit(spec: Mapping[str, Any], v: Values) -> Limit | None:
    wanted = "s-plus-n" if spec.get("ratio_db") == 10 else "standard-output" if str(spec["id"]).startswith("sensitivity") else ""
    if "most_v" not in spec or wanted != v.get("definition") or spec.get("band") != v.get("band"):
        return None
    at_hz = v.get("at_hz")
    if at_hz and not spec.get("from_hz", 0.0) * (1.0 - PLACE) <= at_hz <= spec.get("to_hz", math.inf) * (1.0 + PLACE):
        return None
    return Limit(f"{format_si(spec['most_v'], unit='V', digits=2)} at most", most=float(spec["most_v"]))


def _ratio(name: str, first: str, other: str) -> Callable[[Values], tuple[Figure, ...]]:
    def figures(v: Values) -> tuple[Figure, ...]:
        if not v.get(other):
            return (Figure(f"{name}, more than", 20.0 * math.log10(v.get("most_v", 0.1) / v[first]), "dB"),)
        return (Figure(name, 20.0 * math.log10(v[other] / v[first]), "dB"),)

    return figures


def _image_limit(spec: Mapping[str, Any], v: Values) -> Limit | None:
    at = spec.get("at_hz")
    if "least_db" not in spec or not at or not v.get("at_hz") or abs(at / v["at_hz"] - 1.0) > 0.05:
        return None
    return Limit(f"{spec['least_db']:g}\u00a0dB at least", least=float(spec["least_db"]))


def _if_limit(spec: Mapping[str, Any], v: Values) -> Limit | None:
    if "least_if_db" not in spec or spec.get("band") != v.get("band"):
        return None
    return Limit(f"{spec['least_if_db']:g}\u00a0dB at least", least=float(spec["least_if_db"]))


def _selectivity(v: Values) -> tuple[Figure, ...]:
    found = curves.selectivity(offsets_hz=v["offsets_hz"], down_db=v["down_db"])
    return (
        Figure("width at −6\u00a0dB", found.width_6db_hz, "Hz", u95=found.width_6db_u95_hz, per_db=found.width_6db_hz_per_db),
        Figure("width at −60\u00a0dB", found.width_60db_hz, "Hz"),
        *((Figure("shape factor", found.shape, ""),) if found.shape else ()),
        *((Figure("its middle beside the tuning", found.centre_hz, "Hz", signed=True),) if found.centre_hz is not None else ()),
        Figure("seen down to", -found.deepest_db, "dB"),
    )


def _selectivity_drawn(v: Values) -> Curves:
    points = sorted(zip(v["offsets_hz"], [0.0 - d for d in v["down_db"]], strict=True))
    return Curves("Selectivity", "Hz", "dB", [Line("response", points, dots=True)])


def _selectivity_limit(spec: Mapping[str, Any], v: Values) -> Limit | None:
    if "bandwidth" not in spec["id"] or spec.get("filter", NO_FILTER) != v.get("filter", NO_FILTER):
        return None
    # What the service data say of the strip says nothing where the signal circuits are narrower than it, as on long wave.
    if v.get("at_hz") and v["at_hz"] / USUAL_Q < spec["high_hz"]:
        return None
    low, high = float(spec["low_hz"]), float(spec["high_hz"])
    return Limit(f"{format_si(low, unit='Hz')} to {format_si(high, unit='Hz')}", low, high)


def _gain_control(v: Values) -> tuple[Figure, ...]:
    found = curves.gain_control(levels_v=v["levels_v"], outputs_v=v["outputs_v"])
    return (
        Figure("output rises by", found.output_db, "dB", signed=True, u95=0.0, per_db=math.hypot(1.0, 1.0, found.per_db)),
        Figure("for an input that rises by", found.input_db, "dB", signed=True),
        *((Figure("it begins at", found.begins_v, "V"),) if found.begins_v else ()),
        *((Figure("the strongest overloads it; the output falls by", found.falls_db, "dB"),) if found.falls_db else ()),
    )


def _gain_control_drawn(v: Values) -> Curves:
    points = sorted(zip(v["levels_v"], v["outputs_v"], strict=True))
    output = Line("output", _in_db(points, max(y for _, y in points)), dots=True)
    return Curves("Output over input", "V", "dB", [output], log_x=True)


def _in_db(points: Sequence[tuple[float, float]], reference: float) -> list[tuple[float, float]]:
    return [(x, 20.0 * math.log10(max(y, 1e-9) / reference)) for x, y in points]


def _strength(v: Values) -> tuple[Figure, ...]:
    marks, levels = v["marks"], v["levels_v"]
    if len(marks) != len(levels):
        raise OutOfRange("levels_v", shown=f"a list of {len(levels)}", wanted=f"as many as marks, {len(marks)}")
    if len(marks) < 2 or max(marks) == min(marks):
        raise NoAnswer("marks: one mark is no scale. Read two or more.")
    pairs = sorted(zip(marks, [20.0 * math.log10(x) for x in levels], strict=True))
    per = (pairs[-1][1] - pairs[0][1]) / (pairs[-1][0] - pairs[0][0])
    worst = max(abs(db - pairs[0][1] - per * (m - pairs[0][0])) for m, db in pairs)
    return (Figure("a mark of it is", per, "dB"), Figure("worst beside a straight line", worst, "dB"))


def _strength_drawn(v: Values) -> Curves:
    return Curves("Its own meter", "V", "", [Line("mark", sorted(zip(v["levels_v"], v["marks"], strict=True)), dots=True)], log_x=True)


def _sound(v: Values) -> tuple[Figure, ...]:
    found = curves.sound(tones_hz=v["tones_hz"], outputs_v=v["outputs_v"])
    return (
        Figure("upper limit, −3\u00a0dB", found.high_hz, "Hz"),
        Figure("lower limit, −3\u00a0dB", found.low_hz, "Hz"),
    )


def _sound_drawn(v: Values) -> Curves:
    points = sorted(zip(v["tones_hz"], v["outputs_v"], strict=True))
    at = min(points, key=lambda p: abs(math.log(p[0] / 400.0)))[1]
    return Curves("Audio response", "Hz", "dB", [Line("output", _in_db(points, at), dots=True)], log_x=True)


def _distortion(v: Values) -> tuple[Figure, ...]:
    return (
        Figure("distortion", v["distortion_percent"], "%"),
        *((Figure("SINAD", v["sinad_db"], "dB"),) if "sinad_db" in v else ()),
        *((Figure("at an output of", v["output_v"], "V"),) if "output_v" in v else ()),
    )


def _frequency(v: Values) -> tuple[Figure, ...]:
    found = frequency_error(nominal_hz=v["nominal_hz"], measured_hz=v["measured_hz"], reference_ppm=v.get("reference_ppm", 0.0))
    return (
        Figure("error", found.error_hz, "Hz", signed=True, digits=4),
        Figure("", found.error_ppm, "ppm", signed=True),
        *((Figure("uncertainty (95 %) of the reference ±", found.uncertainty_hz, "Hz"),) if found.uncertainty_hz else ()),
    )


def _window(v: Values) -> tuple[Figure, ...]:
    found = clear_window(nominal_hz=v["nominal_hz"], lower_hz=v["lower_hz"], upper_hz=v["upper_hz"], step_hz=v["step_hz"])
    return (Figure("its middle is off by", found.error_hz, "Hz", signed=True), Figure("uncertainty ±", found.uncertainty_hz, "Hz"))


def _drift(v: Values) -> tuple[Figure, ...]:
    found = fit_drift(t_s=[60.0 * m for m in v["minutes"]], f_hz=v["readings_hz"], within_hz=v["within_hz"])
    return (
        Figure("steady enough after", found.stable_at_s / 60.0, "min"),
        Figure("drifts in all by", -found.delta_hz, "Hz", signed=True),
        Figure("time constant", found.tau_s / 60.0, "min"),
        Figure("settles at", found.f_final_hz, "Hz", digits=8),
        Figure("uncertainty (95 %) of that ±", found.f_final_u95_hz, "Hz", digits=2),
    )


def _drift_drawn(v: Values) -> Curves:
    found = fit_drift(t_s=[60.0 * m for m in v["minutes"]], f_hz=v["readings_hz"], within_hz=v["within_hz"])
    last = max(v["minutes"])
    fitted = [(m, found.delta_hz * math.exp(-60.0 * m / found.tau_s)) for m in (last * k / 60.0 for k in range(61))]
    read = sorted((m, f - found.f_final_hz) for m, f in zip(v["minutes"], v["readings_hz"], strict=True))
    marks = [Mark(found.stable_at_s / 60.0, "steady")] if 0.0 < found.stable_at_s / 60.0 < last else []
    within = float(v["within_hz"])
    return Curves(
        "Off where it settles", "min", "Hz", [Line("fitted", fitted, "slate"), Line("read", read, dots=True)], marks, (-within, within)
    )


LEVEL = Ask("level_v", "Level needed", "V", "18 µV")
MEASURES: dict[str, Measure] = {
    m.name: m
    for m in (
        Measure(
            "sensitivity",
            "Sensitivity",
            "The level that a named criterion needs, band by band; no figure without its criterion.",
            "band",
            (AT, Ask("definition", "By", choices=tuple(d.words for d in DEFINITIONS.values())), LEVEL),
            _sensitivity,
            "less",
            "level",
            limit=_sensitivity_limit,
        ),
        Measure(
            "image",
            "Image ratio",
            "How much stronger a signal on the image must be to be as loud.",
            "band",
            (AT, Ask("signal_v", "Level of the signal", "V"), Ask("other_v", "of its image, for the same output", "V", optional=True)),
            _ratio("image ratio", "signal_v", "other_v"),
            "more",
            "image",
            limit=_image_limit,
        ),
        Measure(
            "if-ratio",
            "Intermediate-frequency ratio",
            "How much stronger a signal on the intermediate frequency must be to be as loud.",
            "band",
            (AT, Ask("signal_v", "Level of the signal", "V"), Ask("other_v", "on the IF, for the same output", "V", optional=True)),
            _ratio("IF ratio", "signal_v", "other_v"),
            "more",
            "if",
            limit=_if_limit,
        ),
        Measure(
            "spurious",
            "A spurious response",
            "Where else it is heard, and how much stronger a signal there must be.",
            "band",
            (
                AT,
                Ask("spurious_hz", "Heard at", "Hz"),
                Ask("signal_v", "Level of the signal", "V"),
                Ask("other_v", "there, for the same output", "V"),
            ),
            _ratio("down by", "signal_v", "other_v"),
            "more",
        ),
        Measure(
            "selectivity",
            "Selectivity",
            "The level for the same output, beside the frequency it is tuned to.",
            "band",
            (
                AT,
                Ask("offsets_hz", "Offsets from the tuning", "Hz", "−9k; −6k; −3k; 0; 3k; 6k; 9k", many=True),
                Ask("down_db", "More level needed there", "dB", "44; 26; 6; 0; 6; 26; 44", many=True),
                Ask("filter", "Filter switched in", choices=FILTERS, optional=True),
            ),
            _selectivity,
            "near",
            "selectivity",
            _selectivity_drawn,
            _selectivity_limit,
        ),
        Measure(
            "gain-control",
            "Gain control",
            "What the output does while the input rises.",
            "band",
            (
                AT,
                Ask("levels_v", "Levels", "V", "10µ; 100µ; 1m; 10m", many=True),
                Ask("outputs_v", "Outputs", "V", "one for each level", many=True),
            ),
            _gain_control,
            "less",
            "gain-control",
            _gain_control_drawn,
        ),
        Measure(
            "strength",
            "Its own signal-strength meter",
            "The level that brings it to each mark.",
            "band",
            (AT, Ask("marks", "Marks", "", "1; 3; 5; 7; 9", many=True), Ask("levels_v", "Levels", "V", "one for each mark", many=True)),
            _strength,
            draws=_strength_drawn,
        ),
        Measure(
            "audio",
            "Audio response",
            "From the aerial to the loudspeaker, by the tone of the modulation.",
            "set",
            (
                Ask("tones_hz", "Tones", "Hz", "50; 100; 400; 1k; 3k; 5k", many=True),
                Ask("outputs_v", "Outputs", "V", "one for each tone", many=True),
            ),
            _sound,
            "more",
            "audio",
            _sound_drawn,
        ),
        Measure(
            "distortion",
            "Distortion",
            "Of the tone at the loudspeaker; loud and soft, and from a recording too.",
            "set",
            (Ask("distortion_percent", "Distortion", "%"), Ask("output_v", "At an output of", "V", optional=True)),
            _distortion,
            "less",
            "distortion",
        ),
        Measure(
            "frequency",
            "Frequency accuracy",
            "Several places, lowest and highest among them: what the errors have in common says what is off.",
            "band",
            (
                Ask("nominal_hz", "Nominal", "Hz"),
                Ask("measured_hz", "Measured", "Hz"),
                Ask(
                    "reference_ppm",
                    "The reference’s uncertainty (95 %) ±",
                    "ppm",
                    "the register’s, if left empty",
                    optional=True,
                ),
            ),
            _frequency,
            "near",
        ),
        Measure(
            "window",
            "Middle of the clear window",
            "From the two places where reception turns bad.",
            "band",
            (
                Ask("nominal_hz", "Channel", "Hz"),
                Ask("lower_hz", "Turns bad below", "Hz"),
                Ask("upper_hz", "and above", "Hz"),
                Ask("step_hz", "Found in steps of", "Hz"),
            ),
            _window,
            "near",
        ),
        Measure(
            "drift",
            "Drift while it warms",
            "When it is steady enough to be aligned, and to be trusted.",
            "set",
            (
                Ask("minutes", "Minutes on", "", "0; 2; 5; 10; 20; 40", many=True),
                Ask("readings_hz", "Read then", "Hz", "one for each time", many=True),
                Ask("within_hz", "Steady enough within", "Hz", "50"),
            ),
            _drift,
            "less",
            draws=_drift_drawn,
        ),
    )
}


def limit_of(measure: Measure, specifications: Sequence[Mapping[str, Any]], values: Values) -> Limit | None:
    """Return what the papers say of a measurement, or None."""
    found = (measure.limit(spec, values) for spec in specifications) if measure.limit else ()
    return next((limit for limit in found if limit is not None), None)


def judge(figure: Figure, limit: Limit | None, *, u95: float = 0.0, in_db: bool = False) -> Verdict:
    """Return whether a figure is within its limit. u95: its uncertainty (95 %, k = 2; in its unit, decibels where in_db).

    The limit is guarded by that uncertainty on both sides: nearer to it the verdict is undecided, with the chance that it is within.
    """
    if limit is None:
        return Verdict("blank", "Nothing is said of it in the papers.")
    if figure.value is None:
        return Verdict("stop", f"Not reached; {limit.words}.")
    for bound, way in ((limit.most, 1.0), (limit.least, -1.0)):
        if bound is None:
            continue
        beyond = way * (20.0 * math.log10(figure.value / bound) if in_db and figure.value > 0 and bound > 0 else figure.value - bound)
        if abs(beyond) < u95:
            within = 50.0 * (1.0 - math.erf(beyond / (u95 / K95) / math.sqrt(2.0)))
            near = f"nearer to its limit than its uncertainty of {Uncertainty(u95, in_db).words(figure.unit)} (95\u00a0%)"
            return Verdict("watch", f"Undecided: {near}; {limit.words}. The chance that it is within is {within:.0f} %.")
        if beyond > 0:
            more = f" by {beyond:.1f}\u00a0dB" if in_db else ""
            return Verdict("stop", f"Misses its limit{more}: {limit.words}.")
    return Verdict("good", f"Within: {limit.words}.")
