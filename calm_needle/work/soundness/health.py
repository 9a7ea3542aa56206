"""Health as a whole: it passes by what was measured, part by part and band by band, and not by a tick."""

import sqlite3

from calm_needle.errors import FieldsRefused
from calm_needle.work.jobs import oscillator, shelf
from calm_needle.work.soundness import bands, parts_sweep
from calm_needle.work.verification import measuring


def missing(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return what keeps the health of a job's set from passing, in sentences; empty when it has passed. Raises NotFound."""
    out = []
    sweep = parts_sweep.view(conn, job_id)
    if sweep.counted.parts and not sweep.whole.passed:
        out += [f"Parts: {sweep.whole.sentence}", *sweep.whole.evidence]
    matrix = bands.view(conn, job_id)
    if not matrix.whole.passed:
        out.append(f"Bands: {matrix.whole.sentence}")
    covered = oscillator.view(conn, job_id, matrix.model).covered
    if covered.state in ("watch", "stop"):
        out.append(f"Oscillator: {covered.sentence}")
    return out


# What is said of a phase that passes by what was measured, once it lacks nothing.
THROUGH = {
    "health": "All that is asked of it was measured, and passed.",
    "verification": "Every band is measured by a named definition, and closed up.",
}


def lacks(conn: sqlite3.Connection, job_id: int) -> dict[str, list[str]]:
    """Return for each phase that passes by what was measured what it still lacks, in sentences; nothing where it is through.

    Raises NotFound.
    """
    return {"health": missing(conn, job_id), "verification": measuring.lacks(conn, job_id)}


def mark_phase(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Record that a phase was done by hand, or is open again; health only when it has passed. Raises NotFound, FieldsRefused.

    A verification in which every band was measured and closed up needs no words: what was measured says it.
    """
    if form.get("phase") == "health" and form.get("state") == "done" and (left := missing(conn, job_id)):
        raise FieldsRefused({"phase": f"Health has not passed. {' '.join(left)} Alignment can be waived all the same, with a reason."})
    if form.get("phase") == "verification" and not form.get("remark", "").strip() and not measuring.lacks(conn, job_id):
        bands_measured = {t.band for t in measuring.standing(conn, job_id) if t.measure.name == "sensitivity"}
        form = {**form, "remark": f"{len(bands_measured)} of {len(bands_measured)} bands by a named definition, closed up"}
    shelf.mark_phase(conn, job_id, form)
