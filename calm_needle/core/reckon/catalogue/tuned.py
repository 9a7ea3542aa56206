"""Tuned circuits and transformers: resonance, coupled pairs, cores and the capacitors that fit them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics import coils, dip_scan, resonance
from calm_needle.core.physics.response import coupled_pair, pair_levels_db
from calm_needle.core.pictures import Curves, Line, Mark, Picture, Place, Scale
from calm_needle.core.reckon.calculator import Calculator, Key, Result

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")


Values = Mapping[str, Any]
IF_HZ = Key("if_hz", "Hz", "Intermediate frequency", "468 kHz", sensible=(40e3, 120e6), known="if_hz")
L_MIN = Key("l_min_h", "H", "Least inductance (core out)", "845 µH", sensible=(1e-8, 1.0), known="l_min_h")
L_MAX = Key("l_max_h", "H", "Most inductance (core in)", "1.085 mH", sensible=(1e-8, 1.0), known="l_max_h")
STRAY = Key("stray_f", "F", "Strays", "8 pF", zero=True, optional=True, sensible=(1e-14, 1e-9))


def _resonance_picture(inputs: Values, results: Values) -> Picture:
    f, c, l_h = results["f_hz"], results["c_f"], results["l_h"]
    stray = results["total_f"] - c
    points = [(c * k, resonance.resonant_frequency_hz(l_h=l_h, c_f=c * k + stray)) for k in np.geomspace(0.3, 3.0, 49).tolist()]
    return Curves(
        "Frequency over the capacitance, with this coil", "F", "Hz", [Line("this coil", points)], [Mark(c, "here", f, "after")], log_x=True
    )


def pair_curves(
    *, f1_hz: float, q1: float, f2_hz: float, q2: float, kappa: float, measured: list[tuple[float, float]] | None = None
) -> Curves:
    """Return the response of a coupled pair as a picture, with both circuits marked and measured points where there are any."""
    found = coupled_pair(f1_hz=f1_hz, q1=q1, f2_hz=f2_hz, q2=q2, kappa=kappa)
    reach = max(1.6 * found.bandwidth_3db_hz, 1.5 * abs(f1_hz - f2_hz))
    centre = (found.peak_low_hz + found.peak_high_hz) / 2.0
    f = np.linspace(max(centre - reach, centre / 20.0), centre + reach, 241)
    db = pair_levels_db(f, f1_hz=f1_hz, q1=q1, f2_hz=f2_hz, q2=q2, kappa=kappa)
    lines = [Line("pair", list(zip(f.tolist(), db.tolist(), strict=True)))]
    if measured:
        lines.append(Line("measured", sorted(measured), "before", dots=True))
    marks = [Mark(f1_hz, "f1"), Mark(f2_hz, "f2")] if abs(f1_hz - f2_hz) > 0.02 * reach else [Mark(f1_hz, "f1 = f2")]
    return Curves("Response of the pair, decibels under critical coupling in tune", "Hz", "dB", lines, marks)


def _pair_picture(inputs: Values, results: Values) -> Picture:
    return pair_curves(**{k: inputs[k] for k in ("f1_hz", "q1", "f2_hz", "q2", "kappa")})


def _travel_picture(inputs: Values, at_h: float, name: str) -> Picture:
    places = [Place(inputs["l_min_h"], "core out", "limit"), Place(inputs["l_max_h"], "core in", "limit"), Place(at_h, name, "wanted")]
    return Scale("Travel of the core", "H", places, band=(inputs["l_min_h"], inputs["l_max_h"]))


def _capacitor_picture(inputs: Values, results: Values) -> Picture:
    at = resonance.inductance_h(f_hz=inputs["if_hz"], c_f=results["stock_c_f"] + inputs.get("stray_f", 0.0))
    return _travel_picture(inputs, at, "with the stock value")


def _dip_picture(inputs: Values, results: Values) -> Picture:
    return dip_scan.picture(f_hz=inputs["f_hz"], v=inputs["v"], f0_hz=results["f0_hz"])


CALCULATORS = (
    Calculator(
        "resonance",
        "Resonance",
        "tuned circuits and transformers",
        "coil, capacitor or frequency of a tuned circuit, from the other two",
        (
            Key("f_hz", "Hz", "Frequency", "468 kHz", optional=True, sensible=(1e3, 3e9), known="if_hz"),
            Key("l_h", "H", "Inductance", "", optional=True, sensible=(1e-9, 10.0)),
            Key("c_f", "F", "Capacitance", "120 pF", optional=True, sensible=(1e-13, 1e-5)),
            Key("stray_f", "F", "Strays, and the coil's own", "", zero=True, optional=True, sensible=(1e-14, 1e-9)),
            Key("l_percent", "%", "Coil’s uncertainty (95 %), ±", "", zero=True, optional=True, high=50.0),
            Key("c_percent", "%", "Capacitor’s uncertainty (95 %), ±", "", zero=True, optional=True, high=50.0),
        ),
        resonance.complete_real,
        (
            Result("f_hz", "Frequency", "Hz", 5),
            Result("l_h", "Inductance", "H"),
            Result("c_f", "Capacitor", "F"),
            Result("total_f", "With its strays", "F"),
            Result("off_percent", "Uncertainty (95 %) of what was worked out, ±", "%", 2),
        ),
        lambda r: (
            ("{l_h} and {c_f}" if r["total_f"] == r["c_f"] else "{l_h} and {c_f}, {total_f} with strays,")
            + " resonate at {f_hz}"
            + (" ± {off_percent} (95 %)." if r["off_percent"] else ".")
        ),
        ("f = 1 / (2π √(L C)) = 1 / (2π √({l_h} × {total_f})) = {f_hz}",),
        (
            "f = 1 / (2π√(LC)), without loss: with Q above 10 within 0.3 %.",
            "Strays are a few picofarads of wiring, and 3–15 pF of a coil's own: left out, the capacitance is all there is.",
            "Both parts off the same way at once, as bad as it can be; a frequency that is given is taken as exact.",
        ),
        _resonance_picture,
    ),
    Calculator(
        "coupled-pair",
        "A coupled pair",
        "tuned circuits and transformers",
        "response, peaks and bandwidth of two coupled circuits",
        (
            Key("f1_hz", "Hz", "First circuit tuned to", "468 kHz", sensible=(1e3, 3e9), known="if_hz"),
            Key("q1", "", "Its Q", "88", low=2.0, high=1e5),
            Key("f2_hz", "Hz", "Second circuit tuned to", "468 kHz", sensible=(1e3, 3e9), known="if_hz"),
            Key("q2", "", "Its Q", "82", low=2.0, high=1e5),
            Key("kappa", "", "Coupling, times the critical", "0.62", low=0.01, high=30.0),
            Key("f_hz", "Hz", "Level wanted at", "", optional=True, sensible=(1e3, 3e9)),
        ),
        lambda **v: coupled_pair(**v),
        (
            Result("response_db", "Level there", "dB", signed=True),
            Result("peak_low_hz", "Lower peak", "Hz", 6),
            Result("peak_high_hz", "Higher peak", "Hz", 6),
            Result("dip_db", "Dip between them", "dB", signed=True),
            Result("bandwidth_3db_hz", "Width at −3 dB", "Hz"),
        ),
        lambda r: (
            "It peaks at {peak_low_hz} and is {bandwidth_3db_hz} wide at −3 dB."
            if r["peak_low_hz"] == r["peak_high_hz"]
            else "Two humps, at {peak_low_hz} and {peak_high_hz}, {dip_db} between them; {bandwidth_3db_hz} wide at −3 dB."
        ),
        (
            "a = Q (f / f₀ − f₀ / f) for each circuit; T = 2κ / ((1 + j a₁)(1 + j a₂) + κ²), κ = {kappa}",
            "two humps in tune when κ² is above (Q₁/Q₂ + Q₂/Q₁) / 2; Q₁ = {q1}, Q₂ = {q2}",
            "20 log|T| = {response_db}; outermost points 3 dB under the higher peak: {bandwidth_3db_hz} apart",
        ),
        (
            "Coupling is k√(Q1 Q2): 1 is critical. Decibels are re critical coupling in tune.",
            "Terman, Radio Engineers' Handbook, 1943. Q taken as constant over the response.",
        ),
        _pair_picture,
    ),
    Calculator(
        "transformer-capacitor",
        "Capacitor for a transformer",
        "tuned circuits and transformers",
        "what to fit outside when the capacitor inside the can is open",
        (IF_HZ, L_MIN, L_MAX, STRAY),
        coils.transformer_capacitor,
        (
            Result("c_f", "Capacitor for mid-travel", "F"),
            Result("f_low_hz", "Reach, core in", "Hz"),
            Result("f_high_hz", "Reach, core out", "Hz"),
            Result("stock_c_f", "Nearest stock value", "F", 2),
            Result("left_below_percent", "Travel left below, with that", "%", 3),
            Result("left_above_percent", "Travel left above, with that", "%", 3),
            Result("verdict", "The core is then"),
        ),
        "Fit {stock_c_f} ({c_f} would be mid-travel): {verdict}, {left_below_percent} left below and {left_above_percent} above.",
        (
            "L at the geometric middle = √({l_min_h} × {l_max_h})",
            "C = 1 / ((2π × {if_hz})² L) − {stray_f} = {c_f}",
            "reach with it: {f_low_hz} to {f_high_hz}",
        ),
        (
            "Strays are the wiring's, the valve's and the coil's own: 5 to 15 pF in most sets.",
            "Fit mica, polystyrene or C0G: the others drift.",
            "Stock values are E24; travel is reckoned by inductance, not by turns.",
        ),
        _capacitor_picture,
    ),
    Calculator(
        "reach",
        "Can the core reach it?",
        "tuned circuits and transformers",
        "whether the core reaches the frequency with the capacitor as measured",
        (IF_HZ, Key("c_measured_f", "F", "Capacitor as measured", "113 pF", sensible=(1e-13, 1e-6)), L_MIN, L_MAX, STRAY),
        coils.reach,
        (
            Result("l_wanted_h", "Inductance wanted", "H"),
            Result("wanted_percent", "On the travel at", "%", 3),
            Result("verdict", "Verdict"),
        ),
        "With {c_measured_f} the coil must be {l_wanted_h}, {wanted_percent} along its travel: {verdict}.",
        (
            "L = 1 / ((2π × {if_hz})² × ({c_measured_f} + {stray_f})) = {l_wanted_h}",
            "(L − {l_min_h}) / ({l_max_h} − {l_min_h}) = {wanted_percent}",
        ),
        ("Take the measured value, not the printed one.", "Travel is reckoned by inductance."),
        lambda i, r: _travel_picture(i, r["l_wanted_h"], "wanted"),
    ),
    Calculator(
        "slug-travel",
        "Where on the travel",
        "tuned circuits and transformers",
        "where a wanted inductance lies between the stops of a core",
        (L_MIN, L_MAX, Key("l_wanted_h", "H", "Inductance wanted", "964 µH", sensible=(1e-8, 1.0))),
        coils.slug_travel,
        (
            Result("l_middle_h", "Middle of the travel", "H"),
            Result("wanted_percent", "Wanted lies at", "%", 3),
            Result("verdict", "Verdict"),
        ),
        "{l_wanted_h} lies {wanted_percent} along the travel: {verdict}.",
        ("({l_wanted_h} − {l_min_h}) / ({l_max_h} − {l_min_h}) = {wanted_percent}", "middle: ({l_min_h} + {l_max_h}) / 2 = {l_middle_h}"),
        (
            "By inductance; the turns of the core follow it nearly, and less so towards the stops.",
            "Within a tenth of either stop there is nothing in hand for ageing.",
        ),
        lambda i, r: _travel_picture(i, i["l_wanted_h"], "wanted"),
    ),
    Calculator(
        "in-circuit",
        "Coil in and out of circuit",
        "tuned circuits and transformers",
        "how a coil's reading in the circuit differs from that out of it",
        (
            Key("l_out_h", "H", "Read out of circuit", "965 µH", sensible=(1e-9, 30.0)),
            Key("l_in_h", "H", "Read in circuit", "720 µH", sensible=(1e-9, 30.0)),
        ),
        coils.in_circuit,
        (
            Result("difference_percent", "Difference", "%", 3, signed=True),
            Result("across_h", "As if this lay across it", "H", 3),
            Result("verdict", "Verdict"),
        ),
        "In the circuit it reads {difference_percent} of what it is: {verdict}.",
        ("({l_in_h} − {l_out_h}) / {l_out_h} = {difference_percent}", "1 / (1 / {l_in_h} − 1 / {l_out_h}), without sign = {across_h}"),
        (
            "Use the figure out of circuit for resonance.",
            "Meters that measure at audio frequencies read a shunt of low resistance as a smaller coil.",
        ),
        lambda i, r: Scale("In and out", "H", [Place(i["l_in_h"], "in circuit"), Place(i["l_out_h"], "out of circuit", "wanted")]),
    ),
    Calculator(
        "dip",
        "Is there a dip?",
        "tuned circuits and transformers",
        "frequency, depth and Q of a resonance from a scan by hand",
        (
            Key(
                "f_hz", "Hz", "Frequencies", "440k; 450k; 456k; 460k; 462k; 464k; 466k; 470k; 478k; 490k", kind="list", sensible=(1e3, 3e9)
            ),
            Key("v", "V", "Meter at each", "1; 0.99; 0.93; 0.78; 0.58; 0.44; 0.6; 0.88; 0.98; 1", kind="list"),
        ),
        coils.dip,
        (
            Result("f0_hz", "Dip at", "Hz", 5),
            Result("depth_db", "Depth", "dB"),
            Result("width_hz", "Width 3 dB above its bottom", "Hz", 3),
            Result("q", "Q from that", "", 3),
            Result("verdict", "Verdict"),
        ),
        "{verdict}: {depth_db} deep at {f0_hz}.",
        (
            "shoulder: the median of the readings; depth under it = {depth_db}",
            "parabola through the lowest three: {f0_hz}",
            "Q = {f0_hz} / {width_hz} = {q}",
        ),
        ("Under 0.5 dB is no dip, under 3 dB a shallow one.", "A probe that is coupled too closely widens the dip: the Q is then too low."),
        _dip_picture,
    ),
)
