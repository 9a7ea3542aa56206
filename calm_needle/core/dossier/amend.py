"""A set that is no longer as its papers have it: what was fitted or found in it, written into a dossier of its own.

Nothing of the dossier that is given is changed.
"""

import copy
from typing import Any

FITTED_BESIDE_MM = 14.0  # from the band's other adjusters, where it is drawn until somebody says better
PADDER_TURNS = 3.0


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
    """Return a dossier with one part more. Raises ValueError where something of it bears that name already."""
    if _is_taken(data, part["id"]):
        raise ValueError(f"There is a {part['id']} already.")
    return {**data, "parts": [*data.get("parts", ()), part]}


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
