"""What is wrong with a dossier whose shape is right: places that point nowhere, numbers that contradict each other or cannot be meant."""

from collections.abc import Iterator, Mapping
from typing import Any

from calm_needle.core.dossier.model import TUNING_ID, points_of
from calm_needle.core.dossier.read import adjuster_ids
from calm_needle.core.plausible import frequency_fault
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.quantities import format_si
from calm_needle.errors import Fault

WORDED = ("question", "answers", "flank", "unit", "reads", "name")  # of a step's aim
PAIRS = ("width_hz",)
ABOVE_ZERO = ("tolerance", "tolerance_hz", "below_hz", "nominal_hz", "rate_per_min", "over_s", "down_db", "ripple_db", "symmetry_hz")


def meaning_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield what is wrong with a dossier whose shape is right: every fault, with its path."""
    yield from _size_faults(data)
    yield from _band_faults(data)
    yield from _gang_faults(data)
    yield from _reference_faults(data)
    yield from _doubles(data)
    yield from _simulation_faults(data)


def _size_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    """Kilo and mega swapped: frequencies that such a set cannot have."""
    first, bands = data["intermediate_frequencies"], data["bands"]
    places = [(f"intermediate_frequencies[{i}].if_hz", f["if_hz"], "intermediate frequency") for i, f in enumerate(first)]
    places += [(f"bands[{i}].if_hz", b["if_hz"], "intermediate frequency") for i, b in enumerate(bands)]
    places += [(f"bands[{i}].{k}", b[k], "signal") for i, b in enumerate(bands) for k in ("f_low_hz", "f_high_hz")]
    for path, value_hz, what in places:
        if fault := frequency_fault(path, value_hz, kind=data["kind"], what=what):
            yield fault


def _band_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    for i, band in enumerate(data["bands"]):
        low, high = band["f_low_hz"], band["f_high_hz"]
        here = f"bands[{i}]"
        if low >= high:
            yield Fault(f"{here}.f_high_hz", f"{high:g} is not above f_low_hz, {low:g}")
            continue
        if band["side"] == "below" and low <= band["if_hz"]:
            yield Fault(f"{here}.side", "an oscillator below the signal would have no frequency at the low end")
        for name, points in (("dial.marks", band.get("dial", {}).get("marks", ())), ("tracking", band.get("tracking", ()))):
            for j, point in enumerate(points):
                if not low <= point["dial_hz"] <= high:
                    yield Fault(f"{here}.{name}[{j}].dial_hz", f"{point['dial_hz']:g} is outside the band ({_span(low, high)})")
        marks = band.get("dial", {}).get("marks", ())
        for j in range(1, len(marks)):
            if not marks[j]["dial_hz"] > marks[j - 1]["dial_hz"]:
                yield Fault(f"{here}.dial.marks[{j}].dial_hz", "the marks must stand in rising order of frequency")


def _gang_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    gang = data.get("gang")
    if gang and len(gang["rotation"]) != len(gang["capacitance_f"]):
        yield Fault(
            "gang.capacitance_f", f"{len(gang['capacitance_f'])} values for {len(gang['rotation'])} rotations; there must be as many"
        )


def _reference_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    stages = {s["id"] for s in data["stages"]}
    adjusters = {a["id"] for a in data["adjusters"]}
    points = {p["id"] for p in points_of(data)}
    bands = {b["id"] for b in data["bands"]}
    for i, stage in enumerate(data["stages"]):
        for j, target in enumerate(stage["feeds"]):
            if target not in stages:
                yield Fault(f"stages[{i}].feeds[{j}]", f"there is no stage “{target}”")
    for i, band in enumerate(data["bands"]):
        for j, point in enumerate(band.get("tracking", ())):
            if point.get("oscillator") and point["oscillator"] not in adjusters:
                yield Fault(f"bands[{i}].tracking[{j}].oscillator", f"there is no adjuster “{point['oscillator']}”")
            for k, name in enumerate(point.get("signal", ())):
                if name not in adjusters:
                    yield Fault(f"bands[{i}].tracking[{j}].signal[{k}]", f"there is no adjuster “{name}”")
    for i, group in enumerate(data["procedure"]):
        for j, name in enumerate(group.get("invalidated_by", ())):
            if name not in stages:
                yield Fault(f"procedure[{i}].invalidated_by[{j}]", f"there is no stage “{name}”")
        for where, set_up in (
            ("set", group.get("set", {})),
            *((f"steps[{j}].set", s.get("set", {})) for j, s in enumerate(group["steps"])),
        ):
            here = f"procedure[{i}].{where}"
            if set_up.get("goes_in") and set_up["goes_in"] not in points:
                yield Fault(f"{here}.goes_in", f"there is no test point “{set_up['goes_in']}”")
            if (at := set_up.get("indicator", {}).get("point")) and at not in points:
                yield Fault(f"{here}.indicator.point", f"there is no test point “{at}”")
            if set_up.get("receiver", {}).get("band") and set_up["receiver"]["band"] not in bands:
                yield Fault(f"{here}.receiver.band", f"there is no band “{set_up['receiver']['band']}”")
            window = set_up.get("indicator", {}).get("window_v")
            if window and not window[0] < window[1]:
                yield Fault(f"{here}.indicator.window_v", "the lower limit must be below the upper one")
        for j, step in enumerate(group["steps"]):
            for k, name in enumerate(adjuster_ids(step)):
                if name not in adjusters and name != TUNING_ID:
                    yield Fault(f"procedure[{i}].steps[{j}].adjusters[{k}]", f"there is no adjuster “{name}”")
            yield from _kind_faults(f"procedure[{i}].steps[{j}]", step, {**group.get("set", {}), **step.get("set", {})})


MISSING = {
    "adjusters": "a {kind} needs the adjuster to turn",
    "indicator": "nothing says which indicator to watch: give set.indicator here or in the group",
    "generator": "nothing says what the generator gives: give set.generator here or in the group",
    "passband": "a {kind} needs passband, with span_hz and points",
}


def _kind_faults(here: str, step: Mapping[str, Any], set_up: Mapping[str, Any]) -> Iterator[Fault]:
    """What a step lacks that its kind cannot do without."""
    kind = KINDS.get(step["kind"])
    if kind is None:
        yield Fault(f"{here}.kind", f"there is no kind of step “{step['kind'][:40]}”; there are {', '.join(KINDS)}")
        return
    for need in kind.needs:
        where, _, key = need.partition(".")
        if key and key not in step.get("aim", {}):
            yield Fault(f"{here}.aim.{key}", f"a {step['kind']} needs it")
        elif not key and not (set_up if where in ("indicator", "generator") else step).get(where):
            yield Fault(f"{here}.adjusters" if where == "adjusters" else here, MISSING[where].format(kind=step["kind"]))
    yield from _aim_faults(f"{here}.aim", step.get("aim", {}))


def _aim_faults(here: str, aim: Mapping[str, Any]) -> Iterator[Fault]:
    """Whatever a kind is judged by is a number where its name says so, and limits stand in their order."""
    for key, value in aim.items():
        if key in WORDED:
            continue
        numbers = value if isinstance(value, list) else [value]
        if not all(isinstance(n, (int, float)) and not isinstance(n, bool) for n in numbers) or (key in PAIRS) != isinstance(value, list):
            yield Fault(f"{here}.{key}", "must be a number" if key not in PAIRS else "must be two numbers")
        elif key in PAIRS and (len(value) != 2 or not value[0] < value[1]):
            yield Fault(f"{here}.{key}", "must be two numbers, the lower one first")
        elif key in ABOVE_ZERO and not value > 0:
            yield Fault(f"{here}.{key}", f"{value:g} must be above 0")
    if all(isinstance(aim.get(k), (int, float)) for k in ("low", "high")) and not aim["low"] < aim["high"]:
        yield Fault(f"{here}.high", f"{aim['high']:g} is not above low, {aim['low']:g}")
    if "question" in aim and not (isinstance(aim["question"], str) and aim["question"].strip()):
        yield Fault(f"{here}.question", "must be words")
    if aim.get("reads", "signal") not in ("signal", "oscillator"):
        yield Fault(f"{here}.reads", "must be signal or oscillator")
    if aim.get("flank", "clockwise") not in ("clockwise", "anticlockwise"):
        yield Fault(f"{here}.flank", "must be clockwise or anticlockwise, of the crest")
    answers = aim.get("answers", [])
    if (
        not isinstance(answers, list)
        or not all(isinstance(a, dict) and a.get("id") and a.get("words") for a in answers)
        or len(answers) > 9
    ):
        yield Fault(f"{here}.answers", "must be a list of at most nine, each with id and words")
    if "symmetry_hz" in aim and "centre_hz" not in aim:
        yield Fault(f"{here}.centre_hz", "symmetry_hz is about centre_hz, which is missing")


OF_WHAT_IS_TUNED = ("drift", "seized", "gang-short", "tired")  # faults of what is tuned, which no list of parts has


def _simulation_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    simulation = data.get("simulation", {})
    stages = [s["id"] for s in data["stages"]]
    adjusters = {a["id"] for a in data["adjusters"]}
    for i, name in enumerate(simulation.get("waxed", ())):
        if name not in adjusters:
            yield Fault(f"simulation.waxed[{i}]", f"there is no adjuster “{name}”")
    parts = {p["id"] for p in data.get("parts", ())}
    supply = simulation.get("supply", {})
    named = [(f"supply.{k}", supply.get(k, ())) for k in ("paths", "leaks", "valves")]
    tuned = {"gang", "oscillator"} | adjusters | {str(b.get("oscillator_tank", {}).get("padder", "")) for b in data["bands"]}
    for where, items in (*named, ("faults", simulation.get("faults", ()))):
        for i, item in enumerate(items):
            may_be = parts | tuned if item.get("kind") in OF_WHAT_IS_TUNED else parts
            if item.get("part", next(iter(parts), None)) not in may_be:
                yield Fault(f"simulation.{where}[{i}].part", f"there is no part “{item['part']}”")
    nodes = {n for k in ("paths", "leaks") for p in supply.get(k, ()) for n in (p["a"], p["b"])} | {
        s["node"] for s in supply.get("sources", ())
    }
    named_nodes = [(f"points.{p}", n) for p, n in supply.get("points", {}).items()]
    named_nodes += [(f"grid_drive.{p}.node", d["node"]) for p, d in supply.get("grid_drive", {}).items()]
    for where, node in named_nodes:
        if node not in nodes:
            yield Fault(f"simulation.supply.{where}", f"there is no node “{node}” in the circuit")
    bands = {b["id"] for b in data["bands"]}
    for band in simulation.get("front_end", {}):
        if band not in bands:
            yield Fault(f"simulation.front_end.{band}", f"there is no band “{band}”")
    for i, part in enumerate(data.get("parts", ())):
        if part.get("stage", stages[0]) not in stages:
            yield Fault(f"parts[{i}].stage", f"there is no stage “{part['stage']}”")
        if part.get("of", part["id"]) not in parts:
            yield Fault(f"parts[{i}].of", f"there is no part “{part['of']}”")
    for name, transformer in simulation.get("transformers", {}).items():
        for winding in ("primary", "secondary"):
            if not transformer[winding]["l_min_h"] < transformer[winding]["l_max_h"]:
                yield Fault(f"simulation.transformers.{name}.{winding}.l_max_h", "must be above l_min_h")


def _doubles(data: Mapping[str, Any]) -> Iterator[Fault]:
    lists: list[tuple[str, list[Mapping[str, Any]]]] = [
        (name, list(data.get(name, ())))
        for name in ("stages", "bands", "parts", "adjusters", "procedure", "specifications", "intermediate_frequencies")
    ]
    lists.append(("procedure steps", [step for group in data["procedure"] for step in group["steps"]]))
    lists.append(("test points", list(points_of(data))))
    for name, items in lists:
        seen: set[str] = set()
        for i, item in enumerate(items):
            if item["id"] in seen:
                yield Fault(f"{name}[{i}].id", f"“{item['id']}” stands there twice")
            seen.add(item["id"])


def _span(low_hz: float, high_hz: float) -> str:
    return f"{format_si(low_hz, unit='Hz')} to {format_si(high_hz, unit='Hz')}"
