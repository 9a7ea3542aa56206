"""How long the phases of a model take: rehearsed by a modelled hand on practice receivers, and kept for the queue."""

import sqlite3

from calm_needle.clock import now_utc
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.store import histories as store
from calm_needle.store import shelf
from calm_needle.store.db import transaction
from calm_needle.work import rehearsals
from calm_needle.work.jobs.shelf import dossier_text

SEEDS = (1,)  # one receiver moderately out of line: a large set takes most of a minute


def minutes(conn: sqlite3.Connection, dossier_id: int) -> dict[str, list[float]]:
    """Return how many minutes each phase of a dossier took in rehearsal, by phase; empty where nothing was rehearsed."""
    out: dict[str, list[float]] = {}
    for phase, took in store.rehearsed_minutes(conn, dossier_id):
        out.setdefault(phase, []).append(took)
    return out


def rehearse(conn: sqlite3.Connection, key: str) -> dict[str, list[float]]:
    """Rehearse every phase that a model's dossier can rehearse, keep the minutes, and return them. Some seconds to a minute.

    Raises NotFound; FieldsRefused where nothing of it can be rehearsed, with why.
    """
    model = shelf.model_by_key(conn, key)
    if model is None:
        raise NotFound("model", key[:30])
    content = dossier_text(conn, key).encode()
    found: list[tuple[str, int, float]] = []
    why = ""
    for short, phases in rehearsals.PHASES.items():
        if len(phases) > 1:
            continue
        for seed in SEEDS:
            try:
                took = rehearsals.score(content, name=key, seed=seed, phase=short)["minutes"]
            except CalmNeedleError as fault:
                why = why or f"{phases[0]}: {fault}"
                break
            if took > 0:
                found.append((phases[0], seed, took))
    if not found:
        raise FieldsRefused({"value": f"Nothing of it could be rehearsed. {why}".strip()})
    with transaction(conn):
        for phase, seed, took in found:
            store.add_rehearsed(conn, dossier_id=model.dossier_id, phase=phase, seed=seed, minutes=took, at_utc=now_utc(conn))
    return minutes(conn, model.dossier_id)
