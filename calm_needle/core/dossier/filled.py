"""What a practice set needs beyond its dossier: tanks of its bands and a supply from first principles, where nobody has written them down.

The dossier itself stays as it is: what is filled in is of the practice set alone, and is listed.
"""

from typing import Any

from calm_needle.core.physics.typical_tank import Tank, typical_tanks
from calm_needle.errors import OutOfRange

# Of a class of set: volts of a rail of which nobody says what stands there, what it draws (A), and what its heaters draw of the mains (A).
RAIL_V, RAIL_A, HEATER_A = {"valve": 230.0, "transistor": 9.0, "mixed": 230.0}, {"valve": 0.04, "transistor": 0.02, "mixed": 0.04}, 0.1
ELECTRODE_A = 1e-3
OPEN_TIMES = 1.12  # of a rail: its volts without load, times those with it
CATHODE_SHARE, KNEE_SHARE, MU = 0.05, 0.05, 10.0  # of the one valve that its load is taken for
MAINS_TIMES = 1.6  # of the direct current, what it draws of the mains
PART_OF = {"core": "coil", "padder": "padder", "trimmer": "trimmer"}


def filled_in(data: dict[str, Any]) -> tuple[dict[str, Any], list[str]]:
    """Return a dossier with a tank for each band that has none, and what was filled in, in words."""
    kinds = {a["id"]: a["kind"] for a in data["adjusters"]}
    bands, said = [], []
    for band in data["bands"]:
        full = band if "oscillator_tank" in band else _with_tanks(band, kinds)
        if full is not band:
            said.append(f"the tanks of {band['name']}")
        bands.append(full)
    full = {**data, "bands": bands}
    if "supply" not in data.get("simulation", {}):
        supply, parts = _supply(data)
        if supply:
            full["simulation"] = {**data.get("simulation", {}), "supply": supply}
            full["parts"] = [*data.get("parts", ()), *parts]
            said.append("what stands at its rails")
    return full, said


def _supply(data: dict[str, Any]) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """A supply that gives every point of which volts are known, and every rail, what should stand there, and the parts that it needs.

    Each point stands by itself: volts behind a resistor, loaded by one valve that draws what such a point usually does once it is warm.
    """
    technology = data["technology"]
    sources, paths, valves, parts, nodes = [], [], [], [], {}
    for stage in data["stages"]:
        rail = stage["kind"] == "power"
        for point in stage.get("test_points", ()):
            volts = point.get("expected_v") or (RAIL_V[technology] if rail else None)
            if not volts:
                continue
            name, amperes = f"fill-{point['id']}", RAIL_A[technology] if rail else ELECTRODE_A
            nodes[point["id"]] = name
            cathode_v, behind_ohm = CATHODE_SHARE * abs(volts), (OPEN_TIMES - 1.0) * abs(volts) / amperes
            # What is below the chassis is a bias, which nothing loads.
            sources.append({"node": f"{name}-raw", "v": OPEN_TIMES * volts if volts > 0.0 else volts, "ohm": 0.1 * behind_ohm})
            for part, a, b, ohm in (
                (f"{name}-r", f"{name}-raw", name, 0.9 * behind_ohm),
                (f"{name}-k", f"{name}-cathode", "chassis", cathode_v / amperes),
            ):
                paths.append({"part": part, "a": a, "b": b})
                parts.append({"id": part, "kind": "resistor", "nominal": ohm, "tolerance_percent": 0.0, "region": "filled in"})
            if volts > 0.0:
                drive_v = (volts - cathode_v) / MU - cathode_v
                load = {"anode": name, "screen": name, "cathode": f"{name}-cathode", "screen_share": 0.0, "knee_v": KNEE_SHARE * volts}
                valves.append({**load, "k": amperes / drive_v**1.5, "mu": MU})
    heated = technology != "transistor"
    line = {"heater_a": HEATER_A if heated else 0.0, "times": MAINS_TIMES if heated else 1.0}
    supply = {"points": nodes, "sources": sources, "line": line, "paths": paths, "leaks": [], "valves": valves, "heaters": heated}
    return (supply, parts) if nodes else ({}, [])


def _with_tanks(band: dict[str, Any], kinds: dict[str, str]) -> dict[str, Any]:
    """A band with typical tanks, tuned by the adjusters of its points; the band itself where no gang could cover it."""
    points = band.get("tracking", ())
    oscillator = {PART_OF[kinds[a]]: a for p in points if (a := p.get("oscillator")) and kinds.get(a) in PART_OF}
    signal = {PART_OF[kinds[a]]: a for p in points for a in p.get("signal", ()) if kinds.get(a) in PART_OF}
    side = 1 if band["side"] == "above" else -1
    limits = {"f_low_hz": band["f_low_hz"], "f_high_hz": band["f_high_hz"], "if_hz": band["if_hz"]}
    try:
        tanks = typical_tanks(**limits, side=side, padded=True)
    except OutOfRange:
        return band
    return {
        **band,
        "oscillator_tank": {**_values(tanks.oscillator), **oscillator},
        "signal_tank": {**_values(tanks.signal), **signal, **band.get("signal_tank", {})},
    }


def _values(tank: Tank) -> dict[str, float]:
    return {k: v for k, v in tank._asdict().items() if v is not None}
