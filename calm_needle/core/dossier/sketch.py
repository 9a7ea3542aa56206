"""A model sketched at the bench, where there are no papers: a working dossier from what can be said of it in two minutes.

What every superhet of its kind has is taken from first principles: stages, a strip from the innermost transformer outward, each band set
low by inductance or padder and high by trimmer, the aerial circuit last. All of that is typical and is called so; safety class unknown
unless it was seen; no value of a part is invented, and no adjuster beyond those that were counted.
"""

import math
import re
from typing import Any, Literal, NamedTuple

SAFETY = ("unknown", "isolated by a transformer", "live chassis", "battery")
TECHNOLOGY = ("valve", "transistor", "mixed")
MOST_TRANSFORMERS = 6
Cores = Literal["two", "one"]
LowEnd = Literal["padder", "core", "nothing"]
CORES: dict[str, str] = {"two": "two cores each", "one": "one core each"}
LOW_ENDS: dict[str, str] = {"padder": "a padder", "core": "the oscillator coil’s core", "nothing": "nothing that turns"}

TYPICAL_WIDTH_MM, TYPICAL_DEPTH_MM = 360, 220
SCALE_MM, SCALE_FROM_MM = 160.0, 10.0
NICE = (1.0, 1.2, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0)
LOW_POINT, HIGH_POINT = 0.12, 0.88  # of the way along a scale, where its ends are set
LETTER: dict[str, str] = {"padder": "P", "core": "L"}  # of what a band's low end is set by
LOAD_OHM = 3.0
IF_LEVEL_V = {"valve": 0.4e-3, "mixed": 0.4e-3, "transistor": 0.1e-3}
DIAL_LEVEL_V, AERIAL_LEVEL_V = 0.1e-3, 0.05e-3
TYPICAL = (
    "where adjusters stand on the chassis",
    "where the marks of a scale stand, if it was not said",
    "at which marks a band is set",
    "levels of the generator, and the load",
    "the order of the work",
)
_KEY = re.compile(r"[^a-z0-9]+")


class SketchedBand(NamedTuple):
    """A band as one says it: its name, limits (Hz), and the marks of its scale that somebody read off it (Hz), if any."""

    name: str
    f_low_hz: float
    f_high_hz: float
    marks_hz: tuple[float, ...] = ()


class Sketched(NamedTuple):
    """What is said of a set. transformers: IF cans; cores: in each; low_end: what tunes the oscillator at a band's low end; trimmers:
    whether oscillator and aerial circuit have one on each band."""

    name: str
    technology: str
    safety_class: str
    if_hz: float
    bands: tuple[SketchedBand, ...]
    transformers: int = 0
    cores: Cores = "two"
    low_end: LowEnd = "nothing"
    trimmers: bool = False


def key_of(name: str) -> str:
    """Return the key of a model's name: lower case, words parted by hyphens; empty when nothing of it can stand in one.

    >>> key_of("Halvern 6B (export)")
    'halvern-6b-export'
    """
    return _KEY.sub("-", name.lower()).strip("-")[:60]


def sketch(said: Sketched) -> dict[str, Any]:
    """Return the dossier's data."""
    bands = [_band(said, number, band) for number, band in enumerate(said.bands, 1)]
    stages = [
        ("aerial", "aerial", "Aerial circuit", ["mixer"]),
        ("mixer", "mixer", "Mixer", ["if-amplifier"]),
        ("oscillator", "oscillator", "Oscillator", ["mixer"]),
        ("if-amplifier", "if amplifier", "IF amplifier", ["detector"]),
        ("detector", "detector", "Detector", ["audio"]),
        ("audio", "audio", "Audio and output", []),
        ("power", "power", "Power supply", ["mixer", "if-amplifier", "audio"]),
    ]
    points = {
        "mixer": [{"id": MIXER_IN, "name": "mixer’s signal input"}],
        "audio": [{"id": "speaker", "name": "loudspeaker winding"}],
        "power": [{"id": "rail", "name": "smoothed rail", "expected_v": None}],
    }
    return {
        "format": "calm-needle/model",
        "version": 1,
        "key": key_of(said.name),
        "name": said.name,
        "kind": "broadcast",
        "technology": said.technology,
        "safety_class": said.safety_class,
        "description": "Sketched at the bench; nothing of it comes from papers.",
        "source": {"kind": "worked out at the bench"},
        "typical": list(TYPICAL),
        "stages": [
            {"id": i, "kind": kind, "name": words, "feeds": feeds, "devices": [], "test_points": points.get(i, [])}
            for i, kind, words, feeds in stages
        ],
        "intermediate_frequencies": [{"id": "if", "if_hz": said.if_hz}],
        "bands": bands,
        "adjusters": [*_cores(said), *_band_adjusters(said)],
        "test_points": [{"id": AERIAL_SOCKET, "name": "aerial socket, through the dummy aerial"}],
        "chassis": {"width_mm": TYPICAL_WIDTH_MM, "depth_mm": TYPICAL_DEPTH_MM, "front": "dial", "landmarks": _cans(said)},
        "procedure": [*_strip(said), *(g for b in bands for g in _band_groups(said, b))],
    }


MIXER_IN, AERIAL_SOCKET = "mixer-in", "aerial-socket"


def typical_marks(*, f_low_hz: float, f_high_hz: float) -> tuple[float, ...]:
    """Return marks such as scales have, from one end to the other (Hz): round figures, a handful of them."""
    inside: list[float] = []
    for decade in range(math.floor(math.log10(f_low_hz)), math.ceil(math.log10(f_high_hz)) + 1):
        inside += [f for n in NICE if f_low_hz * 1.03 < (f := n * 10.0**decade) < f_high_hz * 0.97]
    if len(inside) < 2:
        inside = [round(f_low_hz * (f_high_hz / f_low_hz) ** (i / 4.0) / 1e3) * 1e3 for i in (1, 2, 3)]
    return (f_low_hz, *inside, f_high_hz)


def _band(said: Sketched, number: int, band: SketchedBand) -> dict[str, Any]:
    read = len(band.marks_hz) > 2
    marks = band.marks_hz if read else typical_marks(f_low_hz=band.f_low_hz, f_high_hz=band.f_high_hz)
    span = math.log(marks[-1] / marks[0])
    name = f"B{number}"

    def nearest(at: float) -> float:
        return min(marks if read else marks[1:-1], key=lambda f: abs(math.log(f / marks[0]) / span - at))

    low, high = nearest(LOW_POINT), nearest(HIGH_POINT)
    middle = nearest(math.log(math.sqrt(low * high) / marks[0]) / span)
    by_low = None if said.low_end == "nothing" else f"{LETTER[said.low_end]}{number}"
    trimmed = said.trimmers
    return {
        "id": name,
        "name": band.name,
        "f_low_hz": band.f_low_hz,
        "f_high_hz": band.f_high_hz,
        "if_hz": said.if_hz,
        "side": "above",
        "dial": {
            "unit": "kHz" if band.f_high_hz < 3e6 else "MHz",
            "length_mm": SCALE_MM + 2.0 * SCALE_FROM_MM,
            "typical": True,
            "marks": [{"dial_hz": f, "position_mm": round(SCALE_FROM_MM + SCALE_MM * math.log(f / marks[0]) / span, 1)} for f in marks],
        },
        "tracking": [
            {"dial_hz": low, "oscillator": by_low, "signal": []},
            *([{"dial_hz": middle, "oscillator": None, "signal": []}] if low < middle < high else []),
            {"dial_hz": high, "oscillator": f"T{number}" if trimmed else None, "signal": [f"A{number}"] if trimmed else []},
        ],
    }


def _can_x(said: Sketched, number: int) -> float:
    """Where a can is drawn: the first nearest to the mixer."""
    return TYPICAL_WIDTH_MM * (1.0 - number / (said.transformers + 1.0))


def _cans(said: Sketched) -> list[dict[str, Any]]:
    return [
        {
            "id": f"IFT{n}",
            "label": f"IFT{n}",
            "shape": "can",
            "x_mm": _can_x(said, n) - 16.0,
            "y_mm": 94.0,
            "width_mm": 32,
            "depth_mm": 32,
            "side": "both",
        }
        for n in range(1, said.transformers + 1)
    ]


def _adjuster(name: str, words: str, kind: str, side: str, at: tuple[float, float], tunes: dict[str, str], turns: float) -> dict[str, Any]:
    return {
        "id": name,
        "name": words,
        "kind": kind,
        "side": side,
        "place": {"x_mm": round(at[0], 1), "y_mm": round(at[1], 1)},
        "tool": "one that fits without play, insulated",
        "tunes": tunes,
        "travel_turns": turns,
        "remarks": "",
    }


def _cores(said: Sketched) -> list[dict[str, Any]]:
    out = []
    for n in range(1, said.transformers + 1):
        at, can = (_can_x(said, n), 110.0), f"IFT{n}"
        if said.cores == "one":
            only = {"transformer": can, "winding": "primary", "text": f"the winding in {can}"}
            out.append(_adjuster(can, can, "core", "above", at, only, 12.0))
            continue
        for end, side, winding in (("upper", "above", "primary"), ("lower", "below", "secondary")):
            tunes = {"transformer": can, "winding": winding, "text": f"one of the two windings in {can}"}
            out.append(_adjuster(f"{can}-{end}", f"{can} {end}", "core", side, at, tunes, 12.0))
    return out


def _band_adjusters(said: Sketched) -> list[dict[str, Any]]:
    out = []
    for n, band in enumerate(said.bands, 1):
        y = 30.0 + 160.0 * n / (len(said.bands) + 1.0)
        if said.low_end != "nothing":
            kind, turns = ("padder", 3.0) if said.low_end == "padder" else ("core", 10.0)
            words = f"{band.name} {'padder' if kind == 'padder' else 'oscillator core'}"
            tunes = f"the low end of {band.name}"
            out.append(_adjuster(f"{LETTER[said.low_end]}{n}", words, kind, "below", (330.0, y), {"text": tunes}, turns))
        if said.trimmers:
            for letter, end, what, x in (("T", "oscillator", "the high end of", 300.0), ("A", "aerial", "the aerial circuit on", 270.0)):
                tunes = f"{what} {band.name}"
                out.append(_adjuster(f"{letter}{n}", f"{band.name} {end} trimmer", "trimmer", "below", (x, y), {"text": tunes}, 1.0))
    return out


def _hazards(said: Sketched) -> list[str]:
    live = ["live-chassis"] if said.safety_class in ("live chassis", "unknown") else []
    return [*live, *(["high-volts"] if said.technology != "transistor" else [])]


def _indicator() -> dict[str, Any]:
    return {
        "quantity": "audio volts",
        "unit": "V",
        "where": f"across the loudspeaker winding, {LOAD_OHM:g} Ω load",
        "load_ohm": LOAD_OHM,
        "instrument": "ac-millivoltmeter",
        "window_v": [0.02, 0.44],
    }


def _generator(frequency_hz: float, level_v: float) -> dict[str, Any]:
    return {"frequency_hz": frequency_hz, "level_v": level_v, "modulation": {"kind": "AM", "depth": 0.3, "tone_hz": 400}}


def _strip(said: Sketched) -> list[dict[str, Any]]:
    if not said.transformers:
        return []
    first = _band(said, 1, said.bands[0])
    whole = {
        "receiver": {"band": first["id"], "tuning": "where no station is heard", "volume": "full", "tone": "bright"},
        "generator": _generator(said.if_hz, IF_LEVEL_V[said.technology]),
        "goes_in": MIXER_IN,
        "coupling": {"kind": "capacitor", "value_f": 1e-8, "note": "rated for the rail"},
        "indicator": _indicator(),
    }
    hazards = [*_hazards(said), *(["grid-blocking"] if said.technology != "transistor" else [])]

    def measured(group: str, title: str, step: str, what: str, why: str) -> dict[str, Any]:
        check = {
            "id": step,
            "kind": "check",
            "title": what,
            "measures": ["reading", "passband"],
            "passband": {"span_hz": 28e3, "points": 25},
            "adjusters": [],
            "why": why,
            "hazards": hazards,
        }
        return {"id": group, "phase": "intermediate frequency", "title": title, "set": whole, "steps": [check]}

    ends = ("",) if said.cores == "one" else ("-lower", "-upper")
    steps = [
        {
            "id": f"ift{n}{end}",
            "kind": "peak",
            "adjusters": [f"IFT{n}{end}"],
            "why": "Nearest the detector first: what follows it is then known to be right." if n == said.transformers else "Then outward.",
            "hazards": _hazards(said),
        }
        for n in range(said.transformers, 0, -1)
        for end in ends
    ]
    before = "Before the first touch: without it nobody can say what the work gained."
    after = "The same measurement as at the start, so that the two can be laid side by side."
    return [
        measured("if-before", "As found", "if-as-found", "Measure the IF strip as found", before),
        {
            "id": "if-cores",
            "phase": "intermediate frequency",
            "title": "IF transformers",
            "set": whole,
            "steps": steps,
            "repeat_until": {"gain_below_db": 0.1, "most_rounds": 5},
            "invalidated_by": ["mixer", "if-amplifier", "detector"],
        },
        measured("if-after", "As left", "if-as-left", "Measure the IF strip again", after),
    ]


def _band_groups(said: Sketched, band: dict[str, Any]) -> list[dict[str, Any]]:
    """The dossier's own steps of a band's oscillator and aerial circuit, at the points where each is set."""

    def group(name: str, phase: str, title: str, level_v: float, turned: list[tuple[float, str, str]], stale: list[str]) -> dict[str, Any]:
        steps = [
            {
                "id": f"{name}-{band['id']}-{i}".lower(),
                "kind": "peak",
                "adjusters": [adjuster],
                "why": why,
                "hazards": _hazards(said),
                "set": {
                    "receiver": {"band": band["id"], "tuning_hz": f, "volume": "full", "tone": "bright"},
                    "generator": _generator(f, level_v),
                },
            }
            for i, (f, adjuster, why) in enumerate(turned, 1)
        ]
        own = {"goes_in": AERIAL_SOCKET, "coupling": {"kind": "dummy aerial", "note": "standard broadcast"}, "indicator": _indicator()}
        return {"id": f"{name}-{band['id']}".lower(), "phase": phase, "title": title, "set": own, "steps": steps, "invalidated_by": stale}

    points = band["tracking"]
    oscillator = [(p["dial_hz"], p["oscillator"], "Each end moves the other a little.") for p in points if p["oscillator"]]
    aerial = [(p["dial_hz"], a, "The aerial circuit follows the oscillator.") for p in points for a in p["signal"]]
    out = []
    if oscillator:
        title = f"Oscillator on {band['name']}"
        out.append(group("osc", "oscillator and dial", title, DIAL_LEVEL_V, oscillator, ["oscillator"]))
    if aerial:
        title = f"Aerial circuit on {band['name']}"
        out.append(group("front", "front end", title, AERIAL_LEVEL_V, aerial, ["oscillator", "aerial"]))
    return out
