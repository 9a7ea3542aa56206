"""What a practice set needs beyond its dossier: tanks of its bands from first principles, where nobody has written them down.

The dossier itself stays as it is: what is filled in is of the practice set alone, and is listed.
"""

from typing import Any

from calm_needle.core.physics.typical_tank import Tank, typical_tanks
from calm_needle.errors import OutOfRange

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
    return {**data, "bands": bands}, said


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
