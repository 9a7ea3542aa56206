"""A made-up set of papers with a step of every kind, and what a person would type at each to do it rightly."""

import json
from typing import Any, NamedTuple

from tests.support import halvern


class Right(NamedTuple):
    """What is typed at a step (a reading, or a frequency and a reading), what is pressed to take it, and what stands in the record."""

    typed: tuple[str, ...]
    press: str = "Enter"
    words: str = ""
    at: tuple[str, ...] = ()


def _volts(where: str, unit: str = "V", **more: Any) -> dict[str, Any]:
    return {"indicator": {"quantity": "a reading", "unit": unit, "where": where, **more}}


CORE = ["IFT1-upper"]
# mV: over a crest, back through it, and back onto it
OVER = (88, 91, 97, 108, 121, 136, 146, 151, 148, 139, 128, 117, 130, 140, 148, 151, 148, 140, 128, 139, 148, 151)
HUMP = tuple(f"{v}m" for v in OVER)
DIP = tuple(f"{20e3 / v:.1f}m" for v in OVER)
STEPS: tuple[tuple[dict[str, Any], Right], ...] = (
    ({"kind": "check", "adjusters": [], "measures": ["reading"]}, Right(("0.101",))),
    ({"kind": "peak", "adjusters": CORE}, Right(HUMP, words="twice at one height, way of the hand unknown")),
    ({"kind": "null", "adjusters": ["L1"]}, Right(DIP, words="twice at one depth, way of the hand unknown")),
    ({"kind": "alternate", "adjusters": ["C20"]}, Right(HUMP, words="twice at one height, way of the hand unknown")),
    (
        {"kind": "target", "adjusters": CORE, "aim": {"value": 0.06, "tolerance": 0.002}, "set": _volts("cathode", "A")},
        Right(("48m", "59m", "60.5m"), words="inside its tolerance"),
    ),
    (
        {"kind": "window", "adjusters": CORE, "aim": {"low": 0.2, "high": 0.25}, "set": _volts("grid")},
        Right(("0.1", "0.22", "0.23"), words="inside its tolerance"),
    ),
    (
        {"kind": "zero_beat", "adjusters": CORE, "aim": {"below_hz": 20}, "set": _volts("loudspeaker", "Hz")},
        Right(("900", "300", "12", "400", "10"), words="beat gone, rising on both sides"),
    ),
    (
        {"kind": "zero_cross", "adjusters": CORE, "aim": {"tolerance": 0.05}, "set": _volts("discriminator")},
        Right(("2", "0.9", "-0.4", "-1.9", "-0.6", "0.02"), words="on zero, humps equal"),
    ),
    (
        {"kind": "centre", "adjusters": [], "aim": {"nominal_hz": 468e3, "tolerance_hz": 500}, "set": _volts("aerial socket", "Hz")},
        Right(("465.2k", "470.6k"), words="centred"),
    ),
    (
        {
            "kind": "shape",
            "adjusters": ["IFT1-upper", "IFT1-lower"],
            "aim": {"width_hz": [5e3, 8e3], "ripple_db": 1.0, "symmetry_hz": 400, "centre_hz": 468e3},
            "passband": {"span_hz": 24000, "points": 7},
        },
        Right(
            ("0.01", "0.08", "0.2", "0.21", "0.2", "0.08", "0.01"),
            words="inside its limits",
            at=("459k", "464k", "466k", "468k", "470k", "472k", "477k"),
        ),
    ),
    (
        {"kind": "rock", "adjusters": [{"id": "C20", "role": "padder"}, {"id": "tuning", "role": "swung over the signal"}]},
        Right(("0.1", "0.12", "0.15", "0.13", "0.11", "0.15"), words="on the crest, fall seen on both sides"),
    ),
    ({"kind": "wait", "adjusters": [], "aim": {"least_s": 0}}, Right((), words="waited out")),
    ({"kind": "inspect", "adjusters": [], "aim": {"question": "Do all the dial lamps light?"}}, Right((), "1", "answered: Yes")),
    (
        {
            "kind": "receives",
            "adjusters": [],
            "aim": {"mark_hz": 600e3, "if_hz": 468e3, "sign": 1, "centre": 600e3, "reads": "signal"},
            "set": _volts("generator’s dial", "Hz"),
        },
        Right(("596.8k",), words="receives 596.8\u2009kHz"),
    ),
    (
        {"kind": "swing", "adjusters": [], "aim": {"mark_hz": 600e3, "if_hz": 468e3, "sign": 1}},
        Right(
            ("0.001", "0.002", "0.05", "0.09", "0.1", "0.09", "0.05", "0.002", "0.001", "0.001", "0.001", "0.001"),
            words="receives 604\u2009kHz",
            at=("590k", "598k", "601k", "602.5k", "604k", "605.5k", "607k", "610k", "620k", "630k", "640k", "570k"),
        ),
    ),
    (
        {"kind": "image", "adjusters": [], "aim": {"at_hz": 17e6, "other_hz": 16.064e6, "name": "the oscillator trimmer"}},
        Right(("0.1", "0.02"), words="the signal’s crest, 14.0\u2009dB above the other", at=("17M", "16.064M")),
    ),
    (
        {
            "kind": "carrier",
            "adjusters": [],
            "aim": {"mark_hz": 612e3, "if_hz": 468e3, "sign": 1, "centre": 612e3, "sigma_hz": 300, "name": "Marram Point"},
            "set": _volts("printed scale", "Hz"),
        },
        Right(("620k",), words="receives 612\u2009kHz"),
    ),
    (
        {
            "kind": "tune",
            "adjusters": ["C20"],
            "aim": {"centre": 1068e3, "tolerance": 100, "mark_hz": 600e3, "if_hz": 468e3, "sign": 1},
            "set": _volts("oscillator", "Hz"),
        },
        Right(("1069.4k", "1068.4k", "1067.95k", "1068.03k"), words="brought to its frequency"),
    ),
)
KINDS = tuple(step["kind"] for step, _ in STEPS)
COMMON = {
    "receiver": {"band": "MW", "tuning_hz": 600e3, "volume": "full", "gain_control": "off"},
    "generator": {"frequency_hz": 468e3, "level_v": 0.0003, "modulation": {"kind": "AM", "depth": 0.3, "tone_hz": 400}},
    "goes_in": "V1-g1",
    "coupling": {"kind": "capacitor", "value_f": 1e-8},
    "cover": "off",
    **_volts("across the load"),
}


def dossier(*, key: str = "made-up-every-kind") -> dict[str, Any]:
    """The dossier as data; its one group is of the intermediate frequency."""
    data = halvern.data()
    steps = [
        {"id": f"step-{i}", "title": f"Step {i}: {step['kind']}", "why": "because it is there", "hazards": [], **step}
        for i, (step, _) in enumerate(STEPS)
    ]
    group = {"id": "everything", "phase": "intermediate frequency", "title": "Everything", "set": COMMON, "steps": steps}
    return {**data, "key": key, "name": "Made-up Every Kind", "procedure": [group]}


def content() -> bytes:
    return json.dumps(dossier()).encode()
