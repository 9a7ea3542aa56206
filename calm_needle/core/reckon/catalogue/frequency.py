"""Frequency and modulation: errors, windows, drift, references, deviation, depth, power."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics import beat_side, drift, frequency, modulation
from calm_needle.core.pictures import Curves, Line, Mark, Picture, Place, Scale
from calm_needle.core.reckon.calculator import Calculator, Key, Result

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")


Values = Mapping[str, Any]
ANY_HZ = (1.0, 3e9)
NOMINAL = Key("nominal_hz", "Hz", "Should be", "27.185 MHz", sensible=ANY_HZ)
OPTIONAL_PPM = Key("reference_ppm", "ppm", "Counter's reference, ±", "2", optional=True)


def _error_picture(inputs: Values, results: Values) -> Picture:
    unsure = results["uncertainty_hz"]
    band = (inputs["measured_hz"] - unsure, inputs["measured_hz"] + unsure) if unsure else None
    return Scale(
        "Measured and nominal",
        "Hz",
        [Place(inputs["nominal_hz"], "nominal", "limit"), Place(inputs["measured_hz"], "measured", "wanted")],
        band,
        digits=8,
    )


def _window_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(inputs["lower_hz"], "bad below", "limit"),
        Place(inputs["upper_hz"], "bad above", "limit"),
        Place(results["centre_hz"], "centre", "wanted"),
        Place(inputs["nominal_hz"], "nominal"),
    ]
    return Scale("The clear window", "Hz", places, band=(inputs["lower_hz"], inputs["upper_hz"]), digits=7)


def _beat_picture(inputs: Values, results: Values) -> Picture:
    places = [Place(inputs["known_hz"], "carrier", "limit"), Place(results["own_hz"], "yours", "wanted")]
    unsure = results["uncertainty_hz"]
    band = None if unsure is None else (results["own_hz"] - unsure, results["own_hz"] + unsure)
    return Scale("The carrier and yours", "Hz", places, band=band, digits=8)


def _drift_picture(inputs: Values, results: Values) -> Picture:
    points = sorted(zip(inputs["t_s"], inputs["f_hz"], strict=True))
    t0, end = points[0][0], points[-1][0]
    final, delta, tau = results["f_final_hz"], results["delta_hz"], results["tau_s"]
    fit = [(t, final + delta * math.exp(-t / tau)) for t in np.linspace(t0, end + 0.3 * (end - t0), 80).tolist()]
    readings = [(t, f - final) for t, f in points]
    return Curves(
        "Warm-up: off the final frequency, and the fit",
        "s",
        "Hz",
        [Line("fit", [(t, f - final) for t, f in fit]), Line("readings", readings, "before", dots=True)],
        [Mark(results["stable_at_s"], "stable")] if t0 <= results["stable_at_s"] <= end + 0.3 * (end - t0) else [],
        band=(-inputs.get("within_hz", 10.0), inputs.get("within_hz", 10.0)),
    )


def _reference_picture(inputs: Values, results: Values) -> Picture:
    far = 1.15 * max(inputs["at_hz"], inputs["other_hz"])
    lines = [
        Line("proportional", [(0.0, 0.0), (far, results["ppm"] * 1e-6 * far)]),
        Line("constant", [(0.0, inputs["error_hz"]), (far, inputs["error_hz"])], "slate", dashed=True),
    ]
    marks = [Mark(inputs["at_hz"], "measured", inputs["error_hz"], "before")]
    if "other_error_hz" in inputs:
        marks.append(Mark(inputs["other_hz"], "second", inputs["other_error_hz"], "before"))
    return Curves("Error over frequency: two explanations", "Hz", "Hz", lines, marks)


def _null_picture(inputs: Values, results: Values) -> Picture:
    from scipy.special import j0  # only this picture needs it

    x = np.linspace(0.0, 10.0, 161)
    tone = inputs["tone_hz"]
    points = list(zip((x * tone).tolist(), j0(x).tolist(), strict=True))
    marks = [
        Mark(z * tone, f"null {i + 1}", 0.0, "after" if i + 1 == int(inputs["null"]) else "slate")
        for i, z in enumerate(modulation.CARRIER_NULLS)
    ]
    return Curves("Carrier left, over the deviation", "Hz", "", [Line("carrier", points)], marks)


def _depth_picture(inputs: Values, results: Values) -> Picture:
    t = np.linspace(0.0, 2.0, 401)
    middle, swing = (inputs["v_max"] + inputs["v_min"]) / 2.0, (inputs["v_max"] - inputs["v_min"]) / 2.0
    envelope = middle + swing * np.sin(2.0 * math.pi * t)
    wave = envelope * np.cos(2.0 * math.pi * 20.0 * t)
    lines = [
        Line("", list(zip(t.tolist(), wave.tolist(), strict=True)), "rule"),
        Line("envelope", list(zip(t.tolist(), envelope.tolist(), strict=True))),
    ]
    return Curves("What the oscilloscope shows", "", "V", lines)


def _touch_picture(inputs: Values, results: Values) -> Picture:
    return Scale(
        "Degrees of the adjuster",
        "",
        [
            Place(results["tolerance_degrees"], "tolerance", "wanted"),
            Place(10.0, "touchy under 10", "danger", named=True),
            Place(360.0, "one turn", "limit", named=True),
        ],
        log=True,
        digits=3,
    )


def _power(**v: float) -> Any:
    return modulation.power_in_load(**v)


CALCULATORS = (
    Calculator(
        "frequency-error",
        "Frequency error",
        "frequency and modulation",
        "error in hertz and parts per million",
        (NOMINAL, Key("measured_hz", "Hz", "Measured", "27.18546 MHz", sensible=ANY_HZ), OPTIONAL_PPM),
        frequency.frequency_error,
        (
            Result("error_hz", "Off by", "Hz", 5, signed=True),
            Result("error_ppm", "that is", "ppm", 4, signed=True),
            Result("uncertainty_hz", "Uncertainty (95 %), by the reference, ±", "Hz", 3),
            Result("verdict", "Verdict"),
        ),
        "{error_hz} off, {error_ppm}: {verdict}.",
        (
            "{measured_hz} − {nominal_hz} = {error_hz}",
            "{error_hz} / {nominal_hz} = {error_ppm}",
            "measured × reference’s ppm = {uncertainty_hz}",
        ),
        (
            "An error smaller than the reference's own cannot be told from it.",
            "Check the lowest, a middle and the highest channel: one frequency shows no pattern.",
        ),
        _error_picture,
    ),
    Calculator(
        "clear-window",
        "Centre of a clear window",
        "frequency and modulation",
        "the centre between the edges at which reception turns bad",
        (
            Key("nominal_hz", "Hz", "Nominal", "145 MHz", sensible=ANY_HZ),
            Key("lower_hz", "Hz", "Turns bad below", "144.9945 MHz", sensible=ANY_HZ),
            Key("upper_hz", "Hz", "Turns bad above", "145.0095 MHz", sensible=ANY_HZ),
            Key("step_hz", "Hz", "Step of the generator", "500 Hz", low=1e-3),
        ),
        frequency.clear_window,
        (
            Result("centre_hz", "Centre", "Hz", 8),
            Result("error_hz", "Off by", "Hz", 4, signed=True),
            Result("uncertainty_hz", "Half a step, ±", "Hz", 3),
        ),
        "The window is centred at {centre_hz}: {error_hz}, within half a step, {uncertainty_hz}.",
        ("({lower_hz} + {upper_hz}) / 2 = {centre_hz}", "less {nominal_hz} = {error_hz}", "half a step of {step_hz} = {uncertainty_hz}"),
        ("Same signal, same ear, same kind of badness on both sides.",),
        _window_picture,
    ),
    Calculator(
        "beat",
        "Beat with a known carrier",
        "frequency and modulation",
        "on which side of a known carrier something runs, and where, by the pitch of their beat",
        (
            Key("known_hz", "Hz", "The carrier is at", "909 kHz", sensible=ANY_HZ),
            Key("pitch_hz", "Hz", "Pitch of the beat", "212.6", zero=True),
            Key("raised_pitch_hz", "Hz", "Pitch after yours was raised a little", "230.1", zero=True),
            Key("sure_hz", "Hz", "Uncertainty (95 %) of both pitches, ±", "0.1", optional=True),
            Key("known_within_hz", "Hz", "Carrier known within ±", "10", optional=True),
        ),
        beat_side.beat_against,
        (
            Result("own_hz", "Yours runs at", "Hz", 9),
            Result("apart_hz", "From the carrier", "Hz", 5, signed=True),
            Result("apart_ppm", "that is", "ppm", 4, signed=True),
            Result("uncertainty_hz", "Uncertainty (95 %), ±", "Hz", 3),
            Result("side", "Side"),
        ),
        "Yours runs {side} the carrier, at {own_hz}: {apart_hz} from it, {apart_ppm}; uncertainty (95 %) {uncertainty_hz}.",
        ("raised, the pitch went from {pitch_hz} to {raised_pitch_hz}: yours runs {side}", "{known_hz} and {apart_hz} = {own_hz}"),
        (
            "Raise yours by less than the pitch: beyond zero beat the pitch rises again, on the other side.",
            "A broadcast carrier is as sure as its station keeps it; what somebody says of it is as sure as that.",
        ),
        _beat_picture,
    ),
    Calculator(
        "drift",
        "Warm-up drift",
        "frequency and modulation",
        "where a drifting frequency settles, and when it is stable",
        (
            Key("t_s", "s", "Times", "0; 120; 240; 360; 480; 600; 900; 1200; 1800", kind="list", zero=True),
            Key(
                "f_hz",
                "Hz",
                "Frequency at each",
                "1868.42k; 1868.29k; 1868.20k; 1868.14k; 1868.10k; 1868.07k; 1868.03k; 1868.015k; 1868.004k",
                kind="list",
                sensible=ANY_HZ,
            ),
            Key("within_hz", "Hz", "Stable when within", "10 Hz", optional=True, low=1e-3),
        ),
        drift.fit_drift,
        (
            Result("f_final_hz", "Settles at", "Hz", 7),
            Result("f_final_u95_hz", "Uncertainty (95 %) of that, ±", "Hz", 2),
            Result("delta_hz", "Began off by", "Hz", 4, signed=True),
            Result("tau_s", "Time constant", "s", 3),
            Result("stable_at_s", "Stable after", "s", 3),
            Result("residual_hz", "Fit misses by", "Hz", 2),
        ),
        "It settles at {f_final_hz} ± {f_final_u95_hz} (95 %) with a time constant of {tau_s}, and is stable after {stable_at_s}.",
        ("f(t) = f_final + Δ e^(−t / τ), least squares: {f_final_hz}, {delta_hz}, {tau_s}", "τ ln(|Δ| / tolerance) = {stable_at_s}"),
        (
            "One exponential: a slow slope of the room, or a cabinet that warms after the coil, is not in it.",
            "The time counts from t = 0, not from the first reading.",
        ),
        _drift_picture,
    ),
    Calculator(
        "reference-drift",
        "Reference or one oscillator?",
        "frequency and modulation",
        "what an error at one frequency foretells at another",
        (
            Key("at_hz", "Hz", "Measured at", "145 MHz", sensible=ANY_HZ),
            Key("error_hz", "Hz", "Error there", "2.61 kHz", signed=True),
            Key("other_hz", "Hz", "What of", "170 MHz", sensible=ANY_HZ),
            Key("other_error_hz", "Hz", "Error there, once measured", "", signed=True, optional=True),
            Key("unsure_hz", "Hz", "Uncertainty (95 %) of the readings, ±", "100 Hz", optional=True, zero=True),
        ),
        frequency.reference_drift,
        (
            Result("ppm", "Error", "ppm", 4, signed=True),
            Result("proportional_hz", "There, if the reference is off", "Hz", 4, signed=True),
            Result("constant_hz", "There, if one oscillator is off", "Hz", 4, signed=True),
            Result("apart_hz", "The two differ by", "Hz", 4),
            Result("pattern", "Measured, it is"),
        ),
        "{ppm}: at {other_hz} either {proportional_hz} (reference) or {constant_hz} (one oscillator). Measured: {pattern}.",
        ("{error_hz} / {at_hz} = {ppm}", "× {other_hz} = {proportional_hz}", "or the same {constant_hz}; they differ by {apart_hz}"),
        (
            "Choose a second frequency at which the two differ by much more than the readings’ uncertainty.",
            "Say how sure the readings are: what is foretold is as unsure, times the ratio of the frequencies.",
        ),
        _reference_picture,
    ),
    Calculator(
        "touchiness",
        "Touchy adjuster",
        "frequency and modulation",
        "how much a degree of an adjuster does",
        (
            Key("change_hz", "Hz", "It moved the frequency by", "18 kHz", signed=True),
            Key("turns", "turn", "when turned by", "0.25", signed=True),
            Key("tolerance_hz", "Hz", "Tolerance", "500 Hz", low=1e-3),
        ),
        frequency.touchiness,
        (
            Result("hz_per_turn", "A turn does", "Hz"),
            Result("hz_per_degree", "a degree", "Hz", 3),
            Result("tolerance_degrees", "Tolerance, in degrees", "", 3),
            Result("verdict", "Verdict"),
        ),
        "{hz_per_turn} a turn; the tolerance is {tolerance_degrees} degrees: {verdict}.",
        (
            "|{change_hz}| / |{turns}| = {hz_per_turn} a turn, {hz_per_degree} a degree",
            "{tolerance_hz} / {hz_per_degree} = {tolerance_degrees}",
        ),
        ("Near where it stands; a core near its stop does less. Three thousand six hundred degrees and more are shown as that.",),
        _touch_picture,
    ),
    Calculator(
        "deviation-null",
        "Deviation by carrier null",
        "frequency and modulation",
        "the deviation at which the carrier vanishes",
        (
            Key("tone_hz", "Hz", "Modulating tone", "1 kHz", sensible=(10.0, 200e3)),
            Key("null", "", "Which vanishing", "1", kind="whole", low=1, high=3),
        ),
        lambda **v: {"deviation_hz": modulation.deviation_at_null_hz(tone_hz=v["tone_hz"], null=int(v["null"]))},
        (Result("deviation_hz", "Deviation", "Hz"),),
        "With {tone_hz}, the carrier vanishes for the time number {null} at {deviation_hz} deviation.",
        ("zero number {null} of J₀ × {tone_hz} = {deviation_hz}",),
        ("Peak deviation, a sine tone; raise it slowly from nothing and count the nulls.", "Zeros of J0: 2.4048, 5.5201, 8.6537."),
        _null_picture,
    ),
    Calculator(
        "depth",
        "Depth of modulation",
        "frequency and modulation",
        "depth of an AM envelope from its crest and trough",
        (Key("v_max", "V", "Crest", "1.27 V"), Key("v_min", "V", "Trough", "0.68 V", zero=True)),
        lambda **v: {"depth": modulation.depth_of(**v)},
        (Result("depth", "Depth", "", 3),),
        "The depth is {depth}.",
        ("({v_max} − {v_min}) / ({v_max} + {v_min}) = {depth}",),
        ("Both of the envelope, peak to peak or peak alike. One is full modulation.",),
        _depth_picture,
    ),
    Calculator(
        "power",
        "Power in a load",
        "frequency and modulation",
        "watts from volts across a load",
        (
            Key("v_rms", "V", "Volts r.m.s.", "", optional=True),
            Key("v_pp", "V", "Volts peak to peak", "40 V", optional=True),
            Key("r_ohm", "Ω", "Load", "50", sensible=(0.1, 1e5)),
        ),
        _power,
        (Result("watts", "Power", "W"), Result("dbm", "Power", "dBm", signed=True)),
        "{watts} in {r_ohm}, {dbm}.",
        ("P = V² / R with V r.m.s. (peak to peak / 2√2) = {watts}", "10 log(P / 1 mW) = {dbm}"),
        ("A sine. The load must carry it, and the probe must bear the peak volts.",),
        lambda i, r: Scale(
            "Power",
            "W",
            [
                Place(r["watts"], "power", "wanted"),
                Place(1e-3, "1 mW", "limit", named=True),
                Place(0.05, "50 mW", named=True),
                Place(4.0, "4 W", named=True),
            ],
            log=True,
        ),
    ),
)
