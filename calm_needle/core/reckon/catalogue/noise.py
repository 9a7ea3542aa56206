"""Sensitivity and noise."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics import noise
from calm_needle.core.physics.sine_fit import fit_sine, sinad
from calm_needle.core.pictures import Curves, Line, Picture, Place, Scale
from calm_needle.core.reckon.calculator import Calculator, Key, Result

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")


Values = Mapping[str, Any]
BANDWIDTH = Key("bandwidth_hz", "Hz", "Bandwidth", "6 kHz", sensible=(10.0, 5e6), known="bandwidth_hz")
R_OHM = Key("r_ohm", "Ω", "Source resistance", "400", sensible=(0.1, 1e5))
NF = Key("nf_db", "dB", "Noise figure", "15", low=0.0, high=120.0)
DEPTH = Key("depth", "", "Depth of modulation", "0.3", optional=True, low=0.001, high=1.0)
RATIO = Key("ratio_db", "dB", "(S+N)/N wanted", "10", optional=True, low=0.01, high=80.0)


def _stairs(nf_db: float, bandwidth_hz: float, signal_w: float, r_ohm: float) -> Picture:
    def emf(watts: float) -> float:
        return math.sqrt(4.0 * r_ohm * watts)

    places = [
        Place(emf(noise.noise_power_w(bandwidth_hz=bandwidth_hz, nf_db=0.0)), "noise of the source"),
        Place(emf(noise.noise_power_w(bandwidth_hz=bandwidth_hz, nf_db=nf_db)), "with the receiver's", "limit"),
        Place(emf(signal_w), "signal", "wanted"),
    ]
    return Scale("From noise to signal, e.m.f.", "V", places, log=True)


def _sinad_says(r: Mapping[str, Any]) -> str:
    said = "SINAD is {sinad_db} on a tone of {tone_hz}; "
    said += "noise alone has no distortion figure." if r["distortion_percent"] is None else "harmonics make {distortion_percent}."
    return said + (" Its tops are flat: something clips." if r["flat_tops"] else "")


def _sinad_picture(inputs: Values, results: Values) -> Picture:
    recording = inputs["file"]
    count = int(min(len(recording.samples), max(64, 4.0 * recording.rate_hz / results["tone_hz"])))
    start = (len(recording.samples) - count) // 2
    x = recording.samples[start : start + count]
    fit = fit_sine(samples=x - float(x.mean()), rate_hz=recording.rate_hz, start_hz=results["tone_hz"])
    t = (np.arange(count) - (count - 1) / 2.0) / recording.rate_hz
    tone = fit.offset + fit.amplitude * np.cos(2.0 * math.pi * fit.frequency_hz * t + fit.phase_rad)
    t0 = float(t[0])
    every = max(1, count // 400)

    def points(y: Any) -> list[tuple[float, float]]:
        return [(float(a) - t0, float(b)) for a, b in zip(t[::every], y[::every], strict=True)]

    left = x - float(x.mean()) - tone
    return Curves(
        "Four periods: recorded, and what the tone leaves",
        "s",
        "",
        [Line("recorded", points(x - float(x.mean()))), Line("left over", points(left), "madder")],
    )


CALCULATORS = (
    Calculator(
        "am-sensitivity",
        "AM sensitivity",
        "sensitivity and noise",
        "the AM signal for a wanted (S+N)/N, from the noise figure",
        (NF, BANDWIDTH, R_OHM, DEPTH, RATIO),
        noise.am_sensitivity,
        (Result("emf_v", "E.m.f.", "V", 3), Result("pd_v", "Loaded", "V", 3), Result("dbm", "Available power", "dBm", signed=True)),
        "{emf_v} e.m.f. gives it, {dbm}.",
        ("N = k T₀ × {bandwidth_hz} × {nf_db}", "C/N = (10^(ratio / 10) − 1) / depth²", "E = √(4 × {r_ohm} × N × C/N) = {emf_v}"),
        (
            "Depth 0.3 and 10 dB where not given: that asks C/N = 100.",
            "Envelope detector well above its threshold; below C/N of ten the diode suppresses the signal.",
            "T0 = 290 K. A signal through a dummy aerial loses what that loses.",
        ),
        lambda i, r: _stairs(i["nf_db"], i["bandwidth_hz"], r["emf_v"] ** 2 / (4.0 * i["r_ohm"]), i["r_ohm"]),
    ),
    Calculator(
        "noise-figure",
        "Noise figure from sensitivity",
        "sensitivity and noise",
        "the noise figure that a measured AM sensitivity stands for",
        (Key("emf_v", "V", "E.m.f. for it", "8 µV", sensible=(1e-9, 1.0)), BANDWIDTH, R_OHM, DEPTH, RATIO),
        lambda **v: {"nf_db": noise.noise_figure_db(**v)},
        (Result("nf_db", "Noise figure", "dB"),),
        "That is a noise figure of {nf_db}.",
        ("C = {emf_v}² / (4 × {r_ohm}); N wanted = C / (C/N)", "10 log(N / (k T₀ × {bandwidth_hz})) = {nf_db}"),
        (
            "Depth 0.3 and 10 dB where not given.",
            "A figure below zero would be no receiver of this world: the level was then p.d., or the bandwidth another.",
        ),
        lambda i, r: _stairs(r["nf_db"], i["bandwidth_hz"], i["emf_v"] ** 2 / (4.0 * i["r_ohm"]), i["r_ohm"]),
    ),
    Calculator(
        "mds",
        "Minimum discernible signal",
        "sensitivity and noise",
        "the signal equal to the receiver's noise",
        (
            NF,
            Key("bandwidth_hz", "Hz", "Bandwidth", "2.4 kHz", sensible=(10.0, 5e6), known="bandwidth_hz"),
            Key("r_ohm", "Ω", "Source resistance", "50", optional=True, sensible=(0.1, 1e5)),
        ),
        noise.minimum_discernible,
        (Result("dbm", "Level", "dBm", signed=True), Result("emf_v", "E.m.f.", "V", 3)),
        "{dbm}, {emf_v} e.m.f.",
        ("−174 dBm + 10 log({bandwidth_hz}) + {nf_db} = {dbm}",),
        ("The level that raises the output by 3 dB. 50 Ω where not given.",),
        lambda i, r: _stairs(i["nf_db"], i["bandwidth_hz"], 1e-3 * 10.0 ** (r["dbm"] / 10.0), i.get("r_ohm", 50.0)),
    ),
    Calculator(
        "sinad",
        "SINAD of a recording",
        "sensitivity and noise",
        "SINAD and distortion from a recorded WAV file",
        (
            Key("file", "", "Recording (WAV)", "", kind="file"),
            Key("tone_hz", "Hz", "Tone (found, when not given)", "", optional=True, sensible=(20.0, 100e3)),
        ),
        lambda file, tone_hz=None: sinad(recording=file, tone_hz=tone_hz),
        (
            Result("sinad_db", "SINAD", "dB"),
            Result("tone_hz", "Tone", "Hz", 6),
            Result("distortion_percent", "Harmonics, to the tenth", "%", 3),
            Result("drift_hz", "Tone drifted by", "Hz", 2),
            Result("flat_tops", "Flat tops: something clips"),
        ),
        _sinad_says,
        ("four-parameter sine fit (IEEE 1057): the tone at {tone_hz}", "r.m.s. of all, to r.m.s. of what the fit leaves: {sinad_db}"),
        (
            "Any rate, 8 to 32 bits or float; of several channels the first.",
            "The whole band of the recording counts as noise: record through the filter the criterion asks for.",
        ),
        _sinad_picture,
    ),
)
