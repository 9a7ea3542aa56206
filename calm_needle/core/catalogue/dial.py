"""Tracking and dial: where oscillator, image and dial are, and what to move."""

import math
from collections.abc import Mapping
from typing import Any

from calm_needle.core import dial, peak_place, superhet, tracking
from calm_needle.core.calculator import Calculator, Key, Result
from calm_needle.core.frequency import band_overlap, conversion_chain, crystal_band, oscillator_check
from calm_needle.core.pictures import Curves, Line, Mark, Picture, Place, Scale

Values = Mapping[str, Any]
SIGNAL = (10e3, 600e6)
IF_HZ = Key("if_hz", "Hz", "Intermediate frequency", "468 kHz", sensible=(40e3, 120e6), known="if_hz")
DIAL = Key("dial_hz", "Hz", "Dial", "1.4 MHz", sensible=SIGNAL, known="dial_hz")
SIDE = Key("side", "", "Oscillator", "above", kind="choice", choices=("above", "below"), known="side")
DIALS = Key("dial_hz", "Hz", "Dial points", "600k; 1000k; 1400k", kind="list", sensible=SIGNAL)
ERRORS = Key(
    "error_hz", "Hz", "Error at each", "-4.1k; 2.2k; 6.8k", kind="list", signed=True, hint="set receives higher than the mark says: plus"
)
L_OSC = Key("l_osc_h", "H", "Oscillator coil", "102.7 µH", sensible=(1e-8, 0.1), known="l_osc_h")
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


def _check_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(inputs["dial_hz"], "dial"),
        Place(results["expected_hz"], "should be", "limit"),
        Place(inputs["osc_hz"], "oscillator", "wanted"),
    ]
    return Scale("Oscillator and dial", "Hz", places)


def _errors_picture(inputs: Values, results: Values) -> Picture:
    points = sorted(zip(inputs["dial_hz"], inputs["error_hz"], strict=True))
    return Curves("Dial error", "Hz", "Hz", [Line("measured", points, "before", dots=True)], [Mark(points[0][0], "")])


def _compromise_picture(inputs: Values, results: Values) -> Picture:
    p = 1.0 if inputs["adjuster"] == "coil" else 3.0
    points = sorted(zip(inputs["dial_hz"], inputs["error_hz"], strict=True))
    first, first_error = inputs["dial_hz"][0] + inputs["if_hz"], inputs["error_hz"][0]

    def moved(leave_hz: float) -> list[tuple[float, float]]:
        return [(f, e + (leave_hz - first_error) * ((f + inputs["if_hz"]) / first) ** p) for f, e in points]

    lines = [
        Line("as it is", points, "before", dots=True),
        Line("least worst", moved(results["equal_leave_hz"])),
        Line("exact at one", moved(results["exact_leave_hz"]), "slate", dashed=True),
    ]
    return Curves("Dial error, and what one adjuster can make of it", "Hz", "Hz", lines)


def _moves_picture(inputs: Values, results: Values) -> Picture:
    lines = [Line("as it is", [(inputs["dial1_hz"], inputs["error1_hz"]), (inputs["dial2_hz"], inputs["error2_hz"])], "before", dots=True)]
    return Curves("Errors at the two points", "Hz", "Hz", lines, band=(-inputs["within_hz"], inputs["within_hz"]))


def _bands_picture(inputs: Values, results: Values) -> Picture:
    places = [Place(f, "from") for f in inputs["lows_hz"]] + [Place(f, "to", "limit") for f in inputs["highs_hz"]]
    return Scale("Ends of the bands", "Hz", places, log=True)


def _crystal_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(inputs["crystal_hz"], "crystal"),
        Place(results["above_hz"], "received, above", "wanted"),
        Place(results["below_hz"], "received, below", "wanted"),
    ]
    return Scale("What the crystal receives", "Hz", [p for p in places if p.value > 0])


def _chain_picture(inputs: Values, results: Values) -> Picture:
    places = [Place(inputs["signal_hz"], "signal", "wanted")] + [
        Place(f, f"after mixer {i + 1}") for i, f in enumerate(results["stage_hz"]) if f > 0
    ]
    return Scale("Down the chain", "Hz", places, log=True)


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
            "trimmer peaked at {own_hz}: e(f) − e({own_hz}) × (f / {own_hz})³",
            "loss: 10 log(1 + (2 × {q} × e / f)²); at {own_hz} by the book {gained_db}, and nothing when it is peaked there",
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
    Calculator(
        "oscillator-check",
        "Oscillator against dial",
        "tracking and dial",
        "which side the oscillator is on, and how far off",
        (DIAL, IF_HZ, Key("osc_hz", "Hz", "Oscillator, measured", "1.8743 MHz", sensible=(10e3, 800e6))),
        oscillator_check,
        (Result("side", "It runs"), Result("expected_hz", "It should be at", "Hz", 6), Result("error_hz", "Off by", "Hz", 4, signed=True)),
        "The oscillator runs {side} the signal and is {error_hz} off {expected_hz}.",
        ("{dial_hz} and {if_hz}, oscillator {side}: {expected_hz}", "{osc_hz} − {expected_hz} = {error_hz}"),
        ("A counter's probe pulls the oscillator: couple it loosely, by a loop.",),
        _check_picture,
    ),
    Calculator(
        "dial-moves",
        "What to move, which way",
        "tracking and dial",
        "what coil and trimmer must change by, from two dial errors",
        (
            Key("dial1_hz", "Hz", "Low dial point", "600 kHz", sensible=SIGNAL, known="track1_hz"),
            Key("error1_hz", "Hz", "Error there", "-4.1 kHz", signed=True, hint="receives higher than the mark: plus"),
            Key("dial2_hz", "Hz", "High dial point", "1400 kHz", sensible=SIGNAL, known="track2_hz"),
            Key("error2_hz", "Hz", "Error there", "6.8 kHz", signed=True),
            IF_HZ,
            L_OSC,
            Key("within_hz", "Hz", "Good within", "1 kHz", low=1.0),
        ),
        dial.dial_moves,
        (
            Result("coil_change_percent", "Change the coil by", "%", 3, signed=True),
            Result("trimmer_change_f", "Change the trimmer by", "F", 3, signed=True),
            Result("shrink_per_round", "Errors left per round", "", 2),
            Result("rounds", "Rounds of low and high"),
        ),
        "Change the coil by {coil_change_percent} and the trimmer by {trimmer_change_f}; by alternating, {rounds} rounds.",
        (
            "error = a f + b f³, f the oscillator's: {error1_hz} at {dial1_hz} and {error2_hz} at {dial2_hz}",
            "coil: 2 a = {coil_change_percent}; trimmer: b / (2π² L) = {trimmer_change_f}",
            "each round leaves (f_low / f_high)² = {shrink_per_round} of the error",
        ),
        (
            "Oscillator above. Good to a few per cent while the errors are small.",
            "More inductance or capacitance lowers the frequency. With a padder instead of a core, the low end answers it alike.",
        ),
        _moves_picture,
    ),
    Calculator(
        "dial-compromise",
        "One adjuster, several points",
        "tracking and dial",
        "the best that one adjuster alone can do about dial errors",
        (
            DIALS,
            ERRORS,
            Key("weights", "", "How much each matters", "1; 2; 1", kind="list", zero=True),
            IF_HZ,
            Key("adjuster", "", "What can be turned", "trimmer", kind="choice", choices=("trimmer", "coil")),
            Key("exact", "", "Exact at point number", "2", kind="whole", low=1, high=4096),
        ),
        dial.compromise,
        (
            Result("equal_worst_hz", "Least worst error", "Hz"),
            Result("equal_leave_hz", "then leave at the first point", "Hz", 4, signed=True),
            Result("weighted_worst_hz", "Weighted: worst error", "Hz"),
            Result("weighted_leave_hz", "then leave at the first point", "Hz", 4, signed=True),
            Result("exact_worst_hz", "Exact at one: worst error", "Hz"),
            Result("exact_leave_hz", "then leave at the first point", "Hz", 4, signed=True),
        ),
        "Least worst {equal_worst_hz}: leave {equal_leave_hz} at the first point. Exact at one: {exact_worst_hz}.",
        (
            "a {adjuster} moves each point in proportion to f (coil) or f³ (trimmer) of the oscillator",
            "errors {error_hz} at {dial_hz}; least worst: {equal_worst_hz}",
        ),
        ("Oscillator above. What one adjuster cannot do, another must: see which part is off with padder-check.",),
        _compromise_picture,
    ),
    Calculator(
        "padder-check",
        "Which part has drifted?",
        "tracking and dial",
        "which oscillator part explains the dial errors",
        (
            Key("dial_hz", "Hz", "Dial points", "550k; 600k; 800k; 1000k; 1200k; 1400k; 1600k", kind="list", sensible=SIGNAL),
            Key("error_hz", "Hz", "Error at each", "25.2k; 20.8k; 14.7k; 16.5k; 17.4k; 12.2k; -2.0k", kind="list", signed=True),
            IF_HZ,
            L_OSC,
            Key("trim_f", "F", "Oscillator trimmer and strays", "28 pF", sensible=(1e-13, 1e-9), known="trim_f"),
            Key("padder_f", "F", "Padder by the book", "480 pF", sensible=(1e-11, 1e-7), known="padder_f"),
            L_RF,
            Key("rf_trim_f", "F", "Signal trimmer and strays", "15 pF", zero=True, sensible=(1e-13, 1e-9), known="rf_trim_f"),
        ),
        dial.padder_check,
        (
            Result("l_osc_h", "Coil as it seems", "H"),
            Result("trim_f", "Trimmer as it seems", "F"),
            Result("padder_f", "Padder as it seems", "F"),
            Result(
                "suspect",
                "Explained by",
                words=(("l_osc_h", "the coil"), ("trim_f", "the trimmer"), ("padder_f", "the padder"), ("none", "nothing: it is right")),
            ),
            Result("left_hz", "Left unexplained", "Hz", 3),
        ),
        "Suspect: {suspect}. The errors make it coil {l_osc_h}, trimmer {trim_f}, padder {padder_f}.",
        (
            "gang at each mark: 1 / ((2π f)² × {l_rf_h}) − {rf_trim_f}",
            "oscillator from coil, trimmer and padder, less {if_hz}, less the mark: compared with {error_hz}",
            "least squares in logarithms with the book's values as first belief; each part then tried alone",
        ),
        (
            "Oscillator above; the dial is taken to be printed for the signal circuit as given.",
            "A suspect explains the errors alone, and far better than either other part; otherwise it cannot be said.",
        ),
        _errors_picture,
    ),
    Calculator(
        "crystal-band",
        "Which band is this crystal for?",
        "tracking and dial",
        "what a crystal receives with an IF, and in which band that lies",
        (
            Key("crystal_hz", "Hz", "Crystal", "17.43 MHz", sensible=(10e3, 800e6)),
            Key("if_hz", "Hz", "Intermediate frequency", "3.18 MHz", sensible=(40e3, 120e6), known="if_hz"),
            Key("lows_hz", "Hz", "Bands from", "3.5M; 7M; 14M; 21M; 28M", kind="list", sensible=SIGNAL, known="lows_hz"),
            Key("highs_hz", "Hz", "to", "4M; 7.5M; 14.5M; 21.5M; 29M", kind="list", sensible=SIGNAL, known="highs_hz"),
        ),
        crystal_band,
        (
            Result("above_hz", "Received, oscillator above", "Hz", 6, signed=False),
            Result("below_hz", "Received, oscillator below", "Hz", 6),
            Result("band_above", "That is band number (0: none)"),
            Result("band_below", "and this is number (0: none)"),
        ),
        "It receives {above_hz} (band {band_above}) with the oscillator above, {below_hz} (band {band_below}) below; 0 is none of them.",
        ("{crystal_hz} − {if_hz} = {above_hz}", "{crystal_hz} + {if_hz} = {below_hz}"),
        ("A crystal that runs on an overtone is marked with that.",),
        _crystal_picture,
    ),
    Calculator(
        "conversion-chain",
        "What comes after each mixer",
        "tracking and dial",
        "what should be seen after each mixer of several",
        (
            Key("signal_hz", "Hz", "Signal", "27.185 MHz", sensible=SIGNAL),
            Key("lo_hz", "Hz", "Oscillators, in order", "16.49M; 10.245M", kind="list", sensible=(10e3, 800e6)),
        ),
        conversion_chain,
        (Result("stage_hz", "After each mixer", "Hz", 6), Result("sum_hz", "Sums, filtered away", "Hz", 6)),
        "After the mixers: {stage_hz}.",
        ("each mixer: the difference of what comes in and its oscillator: {stage_hz}",),
        ("Differences are taken; a mixer that uses the sum is entered with its own plan.",),
        _chain_picture,
    ),
    Calculator(
        "band-overlap",
        "Overlaps and gaps",
        "tracking and dial",
        "how measured bands overlap, or leave gaps",
        (
            Key("lows_hz", "Hz", "Bands from", "0.50M; 1.25M; 3.2M; 8.6M", kind="list", sensible=SIGNAL, known="lows_hz"),
            Key("highs_hz", "Hz", "to", "1.30M; 3.40M; 9.0M; 24M", kind="list", sensible=SIGNAL, known="highs_hz"),
        ),
        band_overlap,
        (
            Result("overlap_hz", "Overlap with the next (minus: gap)", "Hz", 4, signed=True),
            Result("least_hz", "Least", "Hz", 4, signed=True),
            Result("verdict", "So there is"),
        ),
        "The least overlap is {least_hz}: {verdict}.",
        ("end of each band less the beginning of the next: {overlap_hz}",),
        ("Measured ends, not printed ones.",),
        _bands_picture,
    ),
)
