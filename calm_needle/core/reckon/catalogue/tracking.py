"""The frequency plan and tracking: where oscillator and image are, and how far the signal circuit follows."""

import math
from collections.abc import Mapping
from typing import Any

from calm_needle.core.physics import peak_place, superhet, tracking
from calm_needle.core.pictures import Curves, Line, Mark, Picture, Place, Scale
from calm_needle.core.reckon.calculator import Calculator, Key, Result

Values = Mapping[str, Any]
SIGNAL = (10e3, 600e6)
IF_HZ = Key("if_hz", "Hz", "Intermediate frequency", "468 kHz", sensible=(40e3, 120e6), known="if_hz")
DIAL = Key("dial_hz", "Hz", "Dial", "1.4 MHz", sensible=SIGNAL, known="dial_hz")
SIDE = Key("side", "", "Oscillator", "above", kind="choice", choices=("above", "below"), known="side")
L_RF = Key("l_rf_h", "H", "Signal coil", "185 µH", sensible=(1e-8, 0.1), known="l_rf_h")
F_LOW = Key("f_low_hz", "Hz", "Lowest of the band", "525 kHz", sensible=SIGNAL, known="f_low_hz")
F_HIGH = Key("f_high_hz", "Hz", "Highest of the band", "1605 kHz", sensible=SIGNAL, known="f_high_hz")
TOLERANCE_SHARE = 0.005  # of the frequency: what a good broadcast set keeps to


def _plan_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(inputs["if_hz"], "IF"),
        Place(inputs["dial_hz"], "dial", "wanted"),
        Place(results["half_if_hz"], "half IF", "danger"),
        Place(results["lo_hz"], "oscillator"),
        Place(results["image_hz"], "image", "danger"),
    ]
    return Scale("On one frequency line", "Hz", [p for p in places if p.value > 0])


def _tracking(**v: float) -> dict[str, float]:
    found = tracking.three_point(**v)
    best = tracking.best_points(if_hz=v["if_hz"], l_rf_h=v["l_rf_h"], f_low_hz=v["f_low_hz"], f_high_hz=v["f_high_hz"])
    named = {"best_f1_hz": best.f1_hz, "best_f2_hz": best.f2_hz, "best_f3_hz": best.f3_hz, "best_max_error_hz": best.max_error_hz}
    return {**found._asdict(), **named}


def _tracking_picture(inputs: Values, results: Values) -> Picture:
    common = {k: inputs[k] for k in ("if_hz", "l_rf_h", "f_low_hz", "f_high_hz")}
    parts = tracking.Tracking(results["l_osc_h"], results["trimmer_difference_f"], results["padder_f"], 0.0)
    curve = tracking.error_curve(parts=parts, **common)
    best = tracking.three_point(f1_hz=results["best_f1_hz"], f2_hz=results["best_f2_hz"], f3_hz=results["best_f3_hz"], **common)
    ideal = tracking.error_curve(parts=best, **common)
    tolerance = TOLERANCE_SHARE * inputs["f_low_hz"]
    return Curves(
        "Tracking error over the band; the band is half a per cent of its low end",
        "Hz",
        "Hz",
        [
            Line("best points", list(zip(ideal.frequencies_hz, ideal.errors_hz, strict=True)), "slate", dashed=True),
            Line("these points", list(zip(curve.frequencies_hz, curve.errors_hz, strict=True))),
        ],
        [Mark(inputs[f"f{k}_hz"], f"f{k}", 0.0, "after") for k in (1, 2, 3)],
        band=(-tolerance, tolerance),
        log_x=True,
    )


def _peak_picture(inputs: Values, results: Values) -> Picture:
    curves = peak_place.loss_curves(**inputs)
    book, own = ([(f, -x) for f, x in zip(curves.frequencies_hz, y, strict=True)] for y in (curves.book_db, curves.own_db))
    inside = inputs["f_low_hz"] < results["worst_hz"] < inputs["f_high_hz"] * 0.999  # at an end its words would lie on the axis
    return Curves(
        "What the signal circuit loses over the band",
        "Hz",
        "dB",
        [Line("by the book", book, "slate", dashed=True), Line("peaked there", own)],
        [
            Mark(inputs["own_hz"], "peaked", 0.0, "after"),
            Mark(results["worst_hz"], "most lost" if inside else "", -results["worst_db"], "madder"),
        ],
        log_x=True,
    )


def _image(*, f_hz: float, if_hz: float, q: float, circuits: float, side: superhet.Side) -> dict[str, float]:
    return {"ratio_db": superhet.image_ratio_db(f_hz=f_hz, if_hz=if_hz, q=q, circuits=int(circuits), side=side)}


def _image_picture(inputs: Values, results: Values) -> Picture:
    f, q, n = inputs["f_hz"], inputs["q"], int(inputs["circuits"])
    image = f + (2.0 if inputs["side"] == "above" else -2.0) * inputs["if_hz"]
    low, high = min(f, image) * 0.92, max(f, image) * 1.08
    step = (high - low) / 120.0

    def down(x: float) -> float:
        return -10.0 * n * math.log10(1.0 + (q * (x / f - f / x)) ** 2)

    points = [(low + i * step, down(low + i * step)) for i in range(121)]
    return Curves(
        "What the signal circuits let through",
        "Hz",
        "dB",
        [Line("signal circuits", points)],
        [Mark(f, "signal"), Mark(image, "image", down(image), "madder")],
    )


CALCULATORS = (
    Calculator(
        "frequency-plan",
        "Dial, oscillator, image",
        "tracking and dial",
        "oscillator, image and half-IF frequency of a dial frequency",
        (DIAL, IF_HZ, SIDE),
        superhet.frequency_plan,
        (
            Result("lo_hz", "Oscillator", "Hz", 6),
            Result("image_hz", "Image", "Hz", 6),
            Result("half_if_hz", "Half-IF response", "Hz", 6),
            Result("false_dial_hz", "The same signal comes in again at dial", "Hz", 6, signed=False),
        ),
        "At {dial_hz} the oscillator is at {lo_hz}; {image_hz} comes in as well, as the image.",
        (
            "oscillator {side}: {dial_hz} and {if_hz} give {lo_hz}",
            "image: two IFs away, {image_hz}",
            "half IF: {half_if_hz}, whose second harmonic mixes with the oscillator's",
        ),
        (
            "Oscillator = dial ± IF, image = dial ± 2 IF, half-IF response = dial ± IF/2, all on the oscillator's side.",
            "The same signal comes in again, as its own image, at another place of the dial, where that is above zero and on the scale.",
        ),
        _plan_picture,
    ),
    Calculator(
        "tracking",
        "Three-point tracking",
        "tracking and dial",
        "oscillator coil, trimmer and padder that track at three frequencies",
        (
            Key("f1_hz", "Hz", "Exact at, low", "600 kHz", sensible=SIGNAL, known="track1_hz"),
            Key("f2_hz", "Hz", "Exact at, middle", "950 kHz", sensible=SIGNAL),
            Key("f3_hz", "Hz", "Exact at, high", "1400 kHz", sensible=SIGNAL, known="track2_hz"),
            IF_HZ,
            L_RF,
            F_LOW,
            F_HIGH,
        ),
        _tracking,
        (
            Result("l_osc_h", "Oscillator coil", "H"),
            Result("trimmer_difference_f", "Oscillator trimmer, more than the signal’s by", "F", 4, signed=True),
            Result("padder_f", "Padder", "F"),
            Result("max_error_hz", "Worst error", "Hz"),
            Result("best_f1_hz", "Best points: low", "Hz"),
            Result("best_f2_hz", "middle", "Hz"),
            Result("best_f3_hz", "high", "Hz"),
            Result("best_max_error_hz", "Worst error with these", "Hz"),
        ),
        "{l_osc_h}, padder {padder_f}, trimmer {trimmer_difference_f}: worst error {max_error_hz}; at best {best_max_error_hz}.",
        (
            "L (2π f_osc)² = 1 / P + 1 / (C + d) at {f1_hz}, {f2_hz} and {f3_hz}, f_osc one IF ({if_hz}) above",
            "C at each from the signal coil: 1 / ((2π f)² × {l_rf_h})",
            "three equations, solved in closed form: L = {l_osc_h}, d = {trimmer_difference_f}, P = {padder_f}",
            "equal ripple: {best_f1_hz}, {best_f2_hz}, {best_f3_hz} leave {best_max_error_hz}",
        ),
        (
            "Equal gang sections, oscillator above; the padder in series with the whole of gang and trimmer.",
            "Losses and the coils' own capacitance are neglected; strays count into the trimmers.",
        ),
        _tracking_picture,
    ),
    Calculator(
        "peak-place",
        "Peaked where one listens",
        "tracking and dial",
        "what peaking the aerial circuit at the owner’s frequency gains there and loses elsewhere",
        (
            Key("own_hz", "Hz", "Where one listens", "810 kHz", sensible=SIGNAL),
            Key("f1_hz", "Hz", "Tracks at, low", "600 kHz", sensible=SIGNAL, known="track1_hz"),
            Key("f2_hz", "Hz", "middle", "950 kHz", sensible=SIGNAL),
            Key("f3_hz", "Hz", "high, where the book peaks it", "1400 kHz", sensible=SIGNAL, known="track2_hz"),
            IF_HZ,
            L_RF,
            F_LOW,
            F_HIGH,
            Key("q", "", "Loaded Q of the circuit", "70", low=1.0, high=2000.0),
        ),
        peak_place.peak_place,
        (
            Result("gained_db", "Gained where one listens", "dB", 2),
            Result("worst_db", "Most lost elsewhere", "dB", 2),
            Result("worst_hz", "at", "Hz", 3),
            Result("book_there_db", "by the book there", "dB", 2),
            Result("worst_book_db", "Most lost by the book anywhere", "dB", 2),
        ),
        "Peaked at {own_hz}: {gained_db} more there; the most is lost at {worst_hz}, {worst_db}, where the book loses {book_there_db}.",
        (
            "error e by three-point tracking at {f1_hz}, {f2_hz} and {f3_hz}, coil {l_rf_h}, IF {if_hz}",
            "trimmer moved until the tank stands at {own_hz} there; with it the tank moves everywhere",
            "loss: 10 log(1 + {q}² × (f/f0 − f0/f)²); at {own_hz} by the book {gained_db}, and nothing when it is peaked there",
            "over {f_low_hz} to {f_high_hz}: {worst_db} at {worst_hz}; by the book nowhere more than {worst_book_db}",
        ),
        (
            "Equal gang sections, oscillator above and tracking at the three points; one signal circuit, peaked by its trimmer.",
            "Good while the loss is under some 20 dB; with two circuits peaked alike, twice the decibels.",
        ),
        _peak_picture,
    ),
    Calculator(
        "image-ratio",
        "Image ratio",
        "tracking and dial",
        "how far the image is down behind the signal circuits",
        (
            Key("f_hz", "Hz", "Signal", "1.4 MHz", sensible=SIGNAL, known="dial_hz"),
            IF_HZ,
            Key("q", "", "Q of each circuit", "70", low=0.1, high=1e5),
            Key("circuits", "", "How many", "1", kind="whole", low=1, high=12),
            SIDE,
        ),
        _image,
        (Result("ratio_db", "Image down by", "dB"),),
        "The image is {ratio_db} down.",
        ("each circuit: 10 log(1 + Q² (f_i / f − f / f_i)²), Q = {q}, f = {f_hz}", "{circuits} of them: {ratio_db}"),
        ("Circuits in tune with the signal, not coupled to each other; leakage past them is not counted.",),
        _image_picture,
    ),
)
