"""What is wrong with the circuits of a dossier whose shape is right: unknown kinds, what a kind lacks, adjusters that are not there."""

from collections.abc import Iterator, Mapping
from typing import Any

from calm_needle.errors import Fault
from calm_needle.sim.receiver.stages.detector import Detector
from calm_needle.sim.receiver.stages.pair import Pair
from calm_needle.sim.receiver.stages.stage import Stage
from calm_needle.sim.receiver.stages.table import STAGES


def circuit_faults(data: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield every fault of the circuits, with its path; nothing of a dossier that has none."""
    described = [(i, s["circuit"]) for i, s in enumerate(data["stages"]) if "circuit" in s]
    adjusters = {a["id"] for a in data["adjusters"]}
    detects = False
    for i, circuit in described:
        for j, link in enumerate(circuit if isinstance(circuit, list) else [circuit]):
            here = f"stages[{i}].circuit" + (f"[{j}]" if isinstance(circuit, list) else "")
            stage = STAGES.get(link["kind"])
            if stage is None:
                yield Fault(f"{here}.kind", f"there is no kind of circuit “{link['kind'][:40]}”; there are {', '.join(sorted(STAGES))}")
                continue
            detects = detects or (issubclass(stage, Detector) and not stage.switched)
            yield from _link_faults(here, link, stage, adjusters)
            if issubclass(stage, Pair):
                yield from _pair_faults(here, link, data["adjusters"])
    if described and not detects:
        yield Fault("stages", "none of the circuits is a detector that always works: nothing would be heard")


def _link_faults(here: str, link: Mapping[str, Any], stage: type[Stage], adjusters: set[str]) -> Iterator[Fault]:
    for key in (*stage.numbers, *(k for k in stage.may_have if k in link)):
        value = link.get(key)
        if value is None:
            yield Fault(f"{here}.{key}", f"a {link['kind']} needs it")
        elif isinstance(value, bool) or not isinstance(value, (int, float)) or value <= 0:
            yield Fault(f"{here}.{key}", "must be a number above 0")
    for key in stage.turned:
        if link.get(key) not in adjusters:
            yield Fault(f"{here}.{key}", f"there is no adjuster “{str(link.get(key, ''))[:40]}”")
    yield from _travel_faults(here, link)


def _pair_faults(here: str, link: Mapping[str, Any], adjusters: list[Mapping[str, Any]]) -> Iterator[Fault]:
    ends = {a["tunes"].get("winding") for a in adjusters if a["tunes"].get("transformer") == link.get("transformer", "")}
    for end in ("primary", "secondary"):
        if end not in ends:
            yield Fault(f"{here}.transformer", f"no adjuster tunes the {end} of “{str(link.get('transformer', ''))[:40]}”")
        winding = link.get(end)
        if not isinstance(winding, dict):
            yield Fault(f"{here}.{end}", "a pair needs it, with c_f, q, l_min_h, l_max_h")
            continue
        for key in ("c_f", "q", "l_min_h", "l_max_h"):
            value = winding.get(key)
            if isinstance(value, bool) or not isinstance(value, (int, float)) or value <= 0:
                yield Fault(f"{here}.{end}.{key}", "must be a number above 0")
        yield from _travel_faults(f"{here}.{end}", winding)


def _travel_faults(here: str, winding: Mapping[str, Any]) -> Iterator[Fault]:
    low, high = winding.get("l_min_h"), winding.get("l_max_h")
    if isinstance(low, (int, float)) and isinstance(high, (int, float)) and not low < high:
        yield Fault(f"{here}.l_max_h", "must be above l_min_h")
