"""Parts: tolerance, gangs, ratings, small capacitances, a trimmer for a fixed part."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.physics import parts
from calm_needle.core.pictures import Curves, Line, Picture, Place, Scale, Stack
from calm_needle.core.reckon.calculator import Calculator, Key, Result

Values = Mapping[str, Any]


def _tolerance_picture(inputs: Values, results: Values) -> Picture:
    low, high = (inputs["nominal"] * (1.0 + s * inputs["tolerance_percent"] / 100.0) for s in (-1.0, 1.0))
    return Scale(
        "Within its tolerance?",
        "",
        [Place(inputs["nominal"], "marked", "limit"), Place(inputs["measured"], "measured", "wanted")],
        band=(low, high),
    )


def _gang_picture(inputs: Values, results: Values) -> Picture:
    a, b = inputs["a_f"], inputs["b_f"]
    differences = parts.section_differences_hz(a_f=a, b_f=b, l_h=inputs["l_h"], trim_f=inputs.get("trim_f", 0.0))
    angle = [float(i + 1) for i in range(len(a))]

    def over(values: list[float]) -> list[tuple[float, float]]:
        return list(zip(angle, values, strict=True))

    sections = [Line("first", over(a), "before", dots=True), Line("second", over(b), dots=True)]
    equal = Line("equal", over([0.0] * len(a)), "slate", dashed=True)
    return Stack(
        "Two sections of a gang",
        Curves("Both sections, angle by angle", "", "F", sections),
        Curves("Second tunes higher than the first by", "", "Hz", [Line("difference", over(differences), dots=True), equal]),
    )


def _margin_picture(inputs: Values, results: Values) -> Picture:
    return Scale(
        "Against the rating",
        "",
        [Place(inputs["working"], "working"), Place(inputs["peak"], "peak", "wanted"), Place(inputs["rating"], "rating", "danger")],
        band=(0.0, 0.8 * inputs["rating"]),
    )


def _trimmer_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(results["f_low_hz"], "all in", "limit"),
        Place(results["f_high_hz"], "all out", "limit"),
        Place(results["f_fixed_hz"], "as it was", "wanted"),
    ]
    return Scale("What the trimmer can do", "Hz", places, band=(results["f_low_hz"], results["f_high_hz"]))


CALCULATORS = (
    Calculator(
        "tolerance",
        "Within tolerance?",
        "parts and coils",
        "how far a part is off its marked value",
        (
            Key("nominal", "", "Marked value", "68", hint="in the same unit as measured"),
            Key("measured", "", "Measured", "53", zero=True),
            Key("tolerance_percent", "%", "Tolerance", "20", low=0.0, high=1e4),
            Key("meter_percent", "%", "Meter’s uncertainty (95 %), ±", "", optional=True, low=0.0, high=100.0),
        ),
        parts.tolerance,
        (Result("deviation_percent", "Off by", "%", 3, signed=True), Result("within", "Within"), Result("verdict", "Verdict")),
        "{deviation_percent}: {verdict}.",
        ("({measured} − {nominal}) / {nominal} = {deviation_percent}, allowed ± {tolerance_percent}",),
        ("Measure out of circuit.", "With the meter's own error given, a part at its limit is «cannot say»."),
        _tolerance_picture,
    ),
    Calculator(
        "small-capacitance",
        "A few picofarads",
        "parts and coils",
        "whether a small capacitance means anything",
        (
            Key("reading_f", "F", "Reading", "4.1 pF", sensible=(1e-15, 1e-9)),
            Key("zero_f", "F", "Leads alone", "2.9 pF", zero=True, sensible=(1e-15, 1e-9), known="leads_f"),
            Key("unsure_f", "F", "Meter’s uncertainty (95 %), ±", "0.5 pF", sensible=(1e-15, 1e-10)),
        ),
        parts.small_capacitance,
        (
            Result("net_f", "Part alone", "F", 3, signed=True),
            Result("unsure_f", "uncertainty (95 %), ±", "F", 2),
            Result("verdict", "Verdict"),
        ),
        "{net_f} ± {unsure_f} (95 %): {verdict}.",
        ("{reading_f} − {zero_f} = {net_f}", "two readings, each ± the meter's: √2 × that"),
        ("Zero the leads in the place where they will be.",),
        lambda i, r: Scale(
            "Reading and leads",
            "F",
            [Place(i["zero_f"] or 1e-16, "leads"), Place(i["reading_f"], "reading", "wanted")],
            band=(i["reading_f"] - i["unsure_f"], i["reading_f"] + i["unsure_f"]),
        ),
    ),
    Calculator(
        "gang-match",
        "Two sections of a gang",
        "parts and coils",
        "how two sections of a gang differ, in picofarads and in kilohertz",
        (
            Key("a_f", "F", "First section, angle by angle", "13p; 48p; 96p; 171p; 266p; 372p; 455p", kind="list", sensible=(1e-13, 1e-8)),
            Key("b_f", "F", "Second section", "13.04p; 47.4p; 96.4p; 173.5p; 269p; 374.5p; 453.5p", kind="list", sensible=(1e-13, 1e-8)),
            Key("l_h", "H", "Coil across them", "185 µH", sensible=(1e-8, 0.1), known="l_rf_h"),
            Key("trim_f", "F", "Trimmer and strays", "14 pF", optional=True, zero=True, sensible=(1e-13, 1e-9), known="rf_trim_f"),
        ),
        parts.gang_match,
        (
            Result("worst_f", "Largest difference", "F", 3),
            Result("worst_percent", "in per cent", "%", 3),
            Result("worst_hz", "in frequency", "Hz", 4),
        ),
        "They differ by at most {worst_f}, {worst_percent}, {worst_hz} of tuning.",
        ("with {l_h} and {trim_f} across each: f = 1 / (2π √(L (C + trimmer))) at every angle; largest difference {worst_hz}",),
        (
            "A constant difference is the trimmer's to absorb; one that grows with the angle is not.",
            "Let readings settle: plates and leads move.",
        ),
        _gang_picture,
    ),
    Calculator(
        "rating-margin",
        "Margin to a rating",
        "parts and coils",
        "what is left between working value, surge and rating",
        (
            Key("working", "", "Working value", "250", hint="volts, amperes or watts, all three alike"),
            Key("peak", "", "Peak or surge", "330"),
            Key("rating", "", "Rating", "350"),
        ),
        parts.rating_margin,
        (Result("margin_percent", "Margin", "%", 3, signed=True), Result("verdict", "Verdict")),
        "{margin_percent} to the rating: {verdict}.",
        ("({rating} − the larger of {working} and {peak}) / {rating} = {margin_percent}",),
        (
            "Before the valves warm, the rail stands at its surge: judge capacitors by that.",
            "Resistors: half their rating for a long life. Twenty per cent is asked here.",
        ),
        _margin_picture,
    ),
    Calculator(
        "trimmer-range",
        "A trimmer for a fixed part",
        "parts and coils",
        "how far a trimmer in place of a fixed capacitor pulls a circuit",
        (
            Key("fixed_f", "F", "Fixed part, before", "22 pF", sensible=(1e-13, 1e-7)),
            Key("trim_min_f", "F", "Trimmer, least", "6 pF", sensible=(1e-13, 1e-8)),
            Key("trim_max_f", "F", "Trimmer, most", "30 pF", sensible=(1e-13, 1e-8)),
            Key("l_h", "H", "Coil", "0.12 µH", sensible=(1e-10, 0.1)),
            Key("rest_f", "F", "All else across it", "10 pF", zero=True, sensible=(1e-13, 1e-8)),
        ),
        parts.trimmer_range,
        (
            Result("f_fixed_hz", "As it was", "Hz"),
            Result("f_low_hz", "Trimmer all in", "Hz"),
            Result("f_high_hz", "all out", "Hz"),
            Result("pull_up_hz", "Pulls up by", "Hz", 3, signed=True),
            Result("pull_down_hz", "down by", "Hz", 3, signed=True),
            Result("verdict", "And"),
        ),
        "From {f_low_hz} to {f_high_hz}, {pull_up_hz} up and {pull_down_hz} down: {verdict}.",
        ("f = 1 / (2π √({l_h} × (C + {rest_f}))) with C = {fixed_f}, {trim_min_f}, {trim_max_f}",),
        ("Record it as a modification, and keep the old part with the set.",),
        _trimmer_picture,
    ),
)
