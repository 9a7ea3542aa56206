"""A model sketched at the bench, where there are no papers: what can be said of it in a minute, as a dossier of its own.

Safety class unknown unless it was seen; nothing is invented: no stages but those every superhet has, no adjusters before they are found.
"""

import re
from typing import Any

SAFETY = ("unknown", "isolated by a transformer", "live chassis", "battery")
TYPICAL_WIDTH_MM, TYPICAL_DEPTH_MM = 360, 220
_KEY = re.compile(r"[^a-z0-9]+")


def key_of(name: str) -> str:
    """Return the key of a model's name: lower case, words parted by hyphens; empty when nothing of it can stand in one.

    >>> key_of("Halvern 6B (export)")
    'halvern-6b-export'
    """
    return _KEY.sub("-", name.lower()).strip("-")[:60]


def sketch(*, name: str, technology: str, safety_class: str, if_hz: float, bands: list[tuple[str, float, float]]) -> dict[str, Any]:
    """Return the dossier's data: name, technology, safety class, intermediate frequency (Hz), bands with their limits (Hz)."""
    stages = [
        ("aerial", "aerial", "Aerial circuit", ["mixer"]),
        ("mixer", "mixer", "Mixer", ["if-amplifier"]),
        ("oscillator", "oscillator", "Oscillator", ["mixer"]),
        ("if-amplifier", "if amplifier", "IF amplifier", ["detector"]),
        ("detector", "detector", "Detector", ["audio"]),
        ("audio", "audio", "Audio and output", []),
        ("power", "power", "Power supply", ["mixer", "if-amplifier", "audio"]),
    ]
    rail = {"id": "rail", "name": "smoothed rail", "expected_v": None}
    return {
        "format": "calm-needle/model",
        "version": 1,
        "key": key_of(name),
        "name": name,
        "kind": "broadcast",
        "technology": technology,
        "safety_class": safety_class,
        "description": "Sketched at the bench; nothing of it comes from papers.",
        "source": {"kind": "worked out at the bench"},
        "stages": [
            {"id": i, "kind": kind, "name": words, "feeds": feeds, "devices": [], "test_points": [rail] if i == "power" else []}
            for i, kind, words, feeds in stages
        ],
        "intermediate_frequencies": [{"id": "if", "if_hz": if_hz}],
        "bands": [
            {"id": f"B{n}", "name": band, "f_low_hz": low, "f_high_hz": high, "if_hz": if_hz, "side": "above"}
            for n, (band, low, high) in enumerate(bands, 1)
        ],
        "adjusters": [],
        "chassis": {"width_mm": TYPICAL_WIDTH_MM, "depth_mm": TYPICAL_DEPTH_MM, "front": "dial", "landmarks": []},
        "procedure": [],
    }
