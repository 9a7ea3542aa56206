"""The dial: where oscillator and dial are, and what to move."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from calm_needle.core.physics import dial
from calm_needle.core.physics.frequency import band_overlap, conversion_chain, crystal_band, oscillator_check
from calm_needle.core.pictures import Curves, Line, Mark, Picture, Place, Scale
from calm_needle.core.reckon.calculator import Calculator, Key, Result
from calm_needle.core.reckon.catalogue.tracking import DIAL, IF_HZ, L_RF, SIGNAL

Values = Mapping[str, Any]
DIALS = Key("dial_hz", "Hz", "Dial points", "600k; 1000k; 1400k", kind="list", sensible=SIGNAL)
ERRORS = Key(
    "error_hz", "Hz", "Error at each", "-4.1k; 2.2k; 6.8k", kind="list", signed=True, hint="set receives higher than the mark says: plus"
)
PADDER = Key("padder_f", "F", "Padder, if there is one", "", optional=True, sensible=(1e-11, 1e-7), known="padder_f")
L_OSC = Key("l_osc_h", "H", "Oscillator coil", "102.7 µH", sensible=(1e-8, 0.1), known="l_osc_h")


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
    points = sorted(zip(inputs["dial_hz"], inputs["error_hz"], strict=True))
    tank = {"l_osc_h": inputs.get("l_osc_h"), "padder_f": inputs.get("padder_f")}
    dials, errors = [f for f, _ in points], [e for _, e in points]
    first = dials.index(inputs["dial_hz"][0])

    def moved(leave_hz: float) -> list[tuple[float, float]]:
        after = dial.errors_left(
            dial_hz=dials, error_hz=errors, if_hz=inputs["if_hz"], adjuster=inputs["adjuster"], first=first, leave_hz=leave_hz, **tank
        )
        return list(zip(dials, after, strict=True))

    lines = [
        Line("as it is", points, "before", dots=True),
        Line("least worst", moved(results["equal_leave_hz"])),
        Line("exact at one", moved(results["exact_leave_hz"]), "slate", dashed=True),
    ]
    return Curves("Dial error, and what one adjuster can make of it", "Hz", "Hz", lines)


def _third_picture(inputs: Values, results: Values) -> Picture:
    met = [(2.0, inputs["error1_hz"]), (3.0, inputs["error2_hz"])]
    r, low_hz = results["shrink_per_round"], inputs["error2_hz"]
    plain = [(3.0 + k, low_hz * r**k) for k in range(4)]
    lines = [
        Line("as met", met, "before", dots=True),
        Line("by plain rounds", plain, "slate", dashed=True),
        Line("so", [(3.0, low_hz), (4.0, 0.0)]),
    ]
    return Curves("The low end as each round finds it", "round", "Hz", lines, band=(-inputs["within_hz"], inputs["within_hz"]))


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
            PADDER,
            Key("low_end", "", "The low end is set by", "", kind="choice", choices=("coil", "padder"), optional=True),
        ),
        dial.dial_moves,
        (
            Result("coil_change_percent", "Change the coil (or padder) by", "%", 3, signed=True),
            Result("trimmer_change_f", "Change the trimmer by", "F", 3, signed=True),
            Result("shrink_per_round", "Errors left per round", "", 2),
            Result("rounds", "Rounds of low and high"),
        ),
        "Change what sets the low end by {coil_change_percent} and the trimmer by {trimmer_change_f}; by alternating, {rounds} rounds.",
        (
            "gang and trimmer at each mark: what the nominal tank needs to stand at mark + {if_hz} (padder in series where there is one)",
            "solved for {error1_hz} at {dial1_hz} and {error2_hz} at {dial2_hz}: {coil_change_percent}, {trimmer_change_f}",
            "low end and high end in turn: each round leaves {shrink_per_round} of the error",
        ),
        (
            "Oscillator above. The printed scale is what the nominal oscillator receives.",
            "More inductance or capacitance lowers the frequency. Leave the padder out only where the oscillator has none.",
        ),
        _moves_picture,
    ),
    Calculator(
        "third-round",
        "Two rounds done: the third",
        "tracking and dial",
        "how to leave the low end so that the third round is the last, when nothing is known of the parts",
        (
            Key("error1_hz", "Hz", "Low end off, at the second round", "-9.2 kHz", signed=True, hint="as met, before it is set again"),
            Key("error2_hz", "Hz", "Low end off, at the third", "-2.1 kHz", signed=True),
            Key("within_hz", "Hz", "Good within", "200 Hz", low=1.0),
        ),
        dial.third_round,
        (
            Result("leave_low_hz", "Leave the low end at", "Hz", 3, signed=True),
            Result("shrink_per_round", "Left of an error each round", "", 2),
            Result("rounds_saved", "Plain rounds saved"),
        ),
        "Set the low end to be off by {leave_low_hz}, then the high end right: both are right. It saves {rounds_saved} rounds.",
        (
            "{error2_hz} / {error1_hz} = {shrink_per_round} is left each round",
            "an end left at −r e / (1 − r) = {leave_low_hz} is put right by setting the other",
        ),
        ("A round is: low end right, then high end right. With a dossier’s values the program solves both at once.",),
        _third_picture,
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
            Key("adjuster", "", "What can be turned", "trimmer", kind="choice", choices=("trimmer", "coil", "padder")),
            Key("exact", "", "Exact at point number", "2", kind="whole", low=1, high=4096),
            replace(L_OSC, optional=True, example=""),
            PADDER,
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
            "the {adjuster} is turned in the true tank, the padder in series where there is one",
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
            replace(L_RF, optional=True, known="", hint="only where the dial is calibrated by the signal circuit"),
            Key("rf_trim_f", "F", "Signal trimmer and strays", "15 pF", zero=True, optional=True, sensible=(1e-13, 1e-9)),
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
            "gang at each mark: what the nominal oscillator needs to receive it, or what the signal tank has there if that explains more",
            "oscillator from coil, trimmer and padder, less {if_hz}, less the mark: compared with {error_hz}",
            "least squares in logarithms with the book's values as first belief; each part then tried alone",
        ),
        (
            "Oscillator above; the printed scale is what the nominal oscillator receives.",
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
            Result("verdict", "Verdict"),
        ),
        "The least overlap is {least_hz}: {verdict}.",
        ("end of each band less the beginning of the next: {overlap_hz}",),
        ("Measured ends, not printed ones.",),
        _bands_picture,
    ),
)
