"""What the owner wants of each band: how often it is listened to, and where."""

import json
import sqlite3
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.entry_kinds import LISTENED
from calm_needle.store import intake


def bands_as_wished(conn: sqlite3.Connection, job_id: int, model: Model) -> dict[str, DialBand]:
    """Return the bands whose dial can be solved, by id, each with the tolerance that its owner's use of it leaves."""
    out = {}
    for band_id, band in dial_bands(model).items():
        wish = wished(conn, job_id, model, band_id)
        out[band_id] = band.as_wished(wish["tolerance_times"], wish["wish"]) if wish else band
    return out


def wished(conn: sqlite3.Connection, job_id: int, model: Model, band_id: str) -> dict[str, Any]:
    """Return what a decision on a band is to know of the owner's wishes, as intake has them: `listens_hz`, where it is mostly listened to;
    `tolerance_times`, by how many times its usual tolerance its dial may be out; `wish`, in words. Empty where nothing was said.
    """
    band = next((b for b in model.bands if b.id == band_id), None)
    said = [json.loads(e.detail) for e in intake.entries_of_job(conn, job_id) if e.kind == "listening"]
    about = [s for s in said if band and s["band"] == band.name]
    if not about or band is None:
        return {}
    detail = about[-1]  # the last word counts
    out: dict[str, Any] = {"tolerance_times": LISTENED[detail["often"]], "wish": detail["often"]}
    if detail.get("at"):
        at_hz = parse_si(detail["at"], unit="Hz")
        if band.f_low_hz <= at_hz <= band.f_high_hz:
            out["listens_hz"] = at_hz
    return out
