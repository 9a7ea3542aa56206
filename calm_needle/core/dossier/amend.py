"""A set that is no longer as its papers have it: what was fitted or found in it, written into a dossier of its own.

Nothing of the dossier that is given is changed.
"""

import copy
import math
import re
from collections.abc import Mapping
from typing import Any, NamedTuple

FITTED_BESIDE_MM = 14.0  # from the band's other adjusters, where it is drawn until somebody says better
PADDER_TURNS = 3.0
# From where a fact is known that was not in the dossier.
OWN_PAPERS, SISTERS, MEASURED_HERE, WORKED_OUT, TYPICAL = "own papers", "a sister model’s papers", "measured here", "worked out", "typical"
SOURCES = (OWN_PAPERS, SISTERS, MEASURED_HERE, WORKED_OUT, TYPICAL)


def with_padder_adjustable(data: dict[str, Any], *, band_id: str, seized: str = "") -> dict[str, Any]:
    """Return a dossier in which the fixed padder of a band's oscillator was replaced by a smaller one with a trimmer across.

    seized: the adjuster whose place it takes, which no tool moves any more; empty for none. Raises KeyError where the band has no such
    padder.
    """
    out = copy.deepcopy(data)
    band = next(b for b in out["bands"] if b["id"] == band_id)
    tank = band["oscillator_tank"]
    was, nominal_f = str(tank.get("padder", "padder")), float(tank["padder_f"])
    name = _free(out, f"{was}A")
    beside = next((a for a in out["adjusters"] if a["id"] in (seized, tank.get("trimmer"))), None)
    place = (
        {"x_mm": beside["place"]["x_mm"] + FITTED_BESIDE_MM, "y_mm": beside["place"]["y_mm"]} if beside else {"x_mm": 20.0, "y_mm": 20.0}
    )
    out["adjusters"].append(
        {
            "id": name,
            "name": f"padder {name}",
            "kind": "padder",
            "side": beside["side"] if beside else "below",
            "place": place,
            "tool": "insulated screwdriver",
            "tunes": {"text": f"oscillator, low end of {band['name']}"},
            "travel_turns": PADDER_TURNS,
            "remarks": f"Fitted in place of {was}, which was fixed; drawn beside its neighbour, not where it really is.",
        }
    )
    tank |= {"padder": name, "padder_f": nominal_f}
    for point in band.get("tracking", ()):
        if seized and point.get("oscillator") == seized:
            point["oscillator"] = name
    for adjuster in out["adjusters"]:
        if adjuster["id"] == seized:
            adjuster["seized"] = True
    return out


def with_part(data: dict[str, Any], part: dict[str, Any]) -> dict[str, Any]:
    """Return a dossier with one part more. A coil may bear the name of its core.

    Raises ValueError where a part bears that name already, or where it is a can whose windings have names of their own.
    """
    if any(p["id"] == part["id"] for p in data.get("parts", ())):
        raise ValueError(f"There is a {part['id']} already.")
    cans = {a["tunes"]["transformer"] for a in data["adjusters"] if a["tunes"].get("transformer")}
    if part["id"] in cans:
        raise ValueError(f"{part['id']} is a can: say which of its windings, {part['id']}-p or {part['id']}-s.")
    return {**data, "parts": [*data.get("parts", ()), part]}


class Role(NamedTuple):
    """What an adjuster that was met may be: how one says it, the circuit, the band (empty for the strip) and the end of its scale."""

    words: str
    circuit: str
    band_id: str = ""
    high: bool = False


OSCILLATOR, SIGNAL, STRIP = "oscillator", "signal", "strip"
TRAVEL_TURNS = {"core": 12.0, "trimmer": 1.0, "padder": 3.0, "trap": 10.0, "preset": 0.75}
END_SHARE = 0.12  # of a band's span in ratio, from its end, where a point is put when it has none there


def roles(data: Mapping[str, Any]) -> list[Role]:
    """Return what an adjuster of this set may turn out to be, in the order of the work."""
    found = [Role("a winding of the IF strip", STRIP)]
    for band in data["bands"]:
        for circuit, words in ((OSCILLATOR, "oscillator"), (SIGNAL, "signal circuit")):
            found += [Role(f"{words}, {end} end of {band['name']}", circuit, band["id"], end == "high") for end in ("low", "high")]
    return found


def with_adjuster(data: dict[str, Any], *, name: str, kind: str, side: str, x_mm: float, y_mm: float, role: Role) -> dict[str, Any]:
    """Return a dossier with an adjuster that no paper lists, at work in the role that was found for it.

    Of a band, it is what is turned at that end's point; of the strip, it is peaked with the others. Raises ValueError where something bears
    that name already.
    """
    if _is_taken(data, name):
        raise ValueError(f"There is a {name} already.")
    out = copy.deepcopy(data)
    tunes: dict[str, Any] = {"text": role.words}
    out["adjusters"].append(
        {
            "id": name,
            "name": name,
            "kind": kind,
            "side": side,
            "place": {"x_mm": x_mm, "y_mm": y_mm},
            "tool": "one that fits without play, insulated",
            "tunes": tunes,
            "travel_turns": TRAVEL_TURNS[kind],
            "remarks": "",
            "from": MEASURED_HERE,
        }
    )
    if role.circuit == STRIP:
        group = next((g for g in out["procedure"] if g["phase"] == "intermediate frequency" and "repeat_until" in g), None)
        if group:
            step = {"id": _free_step(group, name), "kind": "peak", "adjusters": [name], "why": "Found on the chassis.", "hazards": []}
            group["steps"].append(step)
        return out
    band = next(b for b in out["bands"] if b["id"] == role.band_id)
    point = _end_point(band, high=role.high)
    if role.circuit == OSCILLATOR:
        point["oscillator"] = name
    else:
        point["signal"] = [*point.get("signal", ()), name]
    return out


def with_test_point(data: dict[str, Any], *, stage: str, name: str, expected_v: float | None, source: str) -> dict[str, Any]:
    """Return a dossier with a test point more at a stage, what should stand there (V) if that is known, and from where.

    Raises KeyError for a stage it has not, ValueError where a point bears that name already.
    """
    out = copy.deepcopy(data)
    at = next((s for s in out["stages"] if s["id"] == stage), None)
    if at is None:
        raise KeyError(stage)
    known = {p["id"] for s in out["stages"] for p in s.get("test_points", ())} | {p["id"] for p in out.get("test_points", ())}
    point_id = re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-")[:60]
    if not point_id or point_id in known:
        raise ValueError(f"There is a point {name} already." if point_id else "Name it with letters or figures: V2 anode.")
    point = {"id": point_id, "name": name, "expected_v": expected_v, "from": source}
    at["test_points"] = [*at.get("test_points", ()), point]
    return out


def with_mark(data: dict[str, Any], *, band_id: str, dial_hz: float, position_mm: float | None) -> dict[str, Any]:
    """Return a dossier with a printed mark more on a band's scale; without a place it is put between its neighbours by their law.

    Raises KeyError for a band it has not, ValueError for a mark outside it, or one that is there.
    """
    out = copy.deepcopy(data)
    band = next((b for b in out["bands"] if b["id"] == band_id), None)
    if band is None:
        raise KeyError(band_id)
    if not band["f_low_hz"] <= dial_hz <= band["f_high_hz"]:
        raise ValueError("It lies outside the band.")
    dial = band.setdefault("dial", {"typical": True, "marks": []})
    marks = dial["marks"]
    if any(math.isclose(m["dial_hz"], dial_hz, rel_tol=1e-6) for m in marks):
        raise ValueError("That mark is there already.")
    place = position_mm if position_mm is not None else _between(marks, dial_hz)
    mark = {"dial_hz": dial_hz, "position_mm": round(place, 1), "from": MEASURED_HERE if position_mm is not None else TYPICAL}
    dial["marks"] = sorted([*marks, mark], key=lambda m: float(m["dial_hz"]))
    return out


def _between(marks: list[dict[str, Any]], dial_hz: float) -> float:
    """Where a mark stands (mm) among others, by the logarithm of the frequency between those beside it."""
    if len(marks) < 2:
        return 10.0 + 10.0 * len(marks)
    below = max((m for m in marks if m["dial_hz"] < dial_hz), key=lambda m: float(m["dial_hz"]), default=marks[0])
    above = min((m for m in marks if m["dial_hz"] > below["dial_hz"]), key=lambda m: float(m["dial_hz"]), default=marks[-1])
    if above is below:
        below = marks[-2]
    share = math.log(dial_hz / below["dial_hz"]) / math.log(above["dial_hz"] / below["dial_hz"])
    return float(below["position_mm"] + share * (above["position_mm"] - below["position_mm"]))


def _end_point(band: dict[str, Any], *, high: bool) -> dict[str, Any]:
    """The point at which a band is set at one of its ends; a new one where it has none there."""
    points: list[dict[str, Any]] = band.setdefault("tracking", [])
    middle_hz = math.sqrt(band["f_low_hz"] * band["f_high_hz"])
    there = [p for p in points if (p["dial_hz"] > middle_hz) == high]
    if there:
        return max(there, key=lambda p: abs(math.log(p["dial_hz"] / middle_hz)))
    span = band["f_high_hz"] / band["f_low_hz"]
    near = band["f_high_hz"] * span**-END_SHARE if high else band["f_low_hz"] * span**END_SHARE
    marks = [m["dial_hz"] for m in band.get("dial", {}).get("marks", ()) if (m["dial_hz"] > middle_hz) == high]
    new = {"dial_hz": min(marks, key=lambda f: abs(math.log(f / near)), default=near), "oscillator": None, "signal": []}
    points.append(new)
    points.sort(key=lambda p: float(p["dial_hz"]))
    return new


def _free_step(group: dict[str, Any], name: str) -> str:
    taken, step_id = {s["id"] for s in group["steps"]}, name.lower()
    while step_id in taken:
        step_id += "-more"
    return step_id


def with_expected(data: dict[str, Any], *, point: str, expected_v: float, source: str) -> dict[str, Any]:
    """Return a dossier that says what stands at a test point (V), and from where that is known. Raises KeyError for a point it has not."""
    out = copy.deepcopy(data)
    found = next((p for stage in out["stages"] for p in stage["test_points"] if p["id"] == point), None)
    if found is None:
        raise KeyError(point)
    found |= {"expected_v": expected_v, "from": source}
    return out


def _is_taken(data: dict[str, Any], name: str) -> bool:
    return any(x["id"] == name for kind in ("adjusters", "parts") for x in data.get(kind, ()))


def _free(data: dict[str, Any], name: str) -> str:
    """The name, or the next after it that nothing of the dossier bears."""
    while _is_taken(data, name):
        name = f"{name[:-1]}{chr(ord(name[-1]) + 1)}"
    return name
