"""The Halvern 6B for tests: its dossier, its model, a store with one job on it."""

import json
import sqlite3
from collections.abc import Callable
from datetime import UTC, datetime
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.read import read_model
from calm_needle.store import db, shelf
from calm_needle.work.bench.rehearsal import MadeUpClock
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import shelf as shelf_work

IF_HZ = 468e3
MORNING = datetime(2026, 11, 24, 10, 0, tzinfo=UTC)


@cache
def content() -> bytes:
    return resources.files("calm_needle.demo").joinpath("dossiers/halvern-6b.json").read_bytes()


def data() -> dict[str, Any]:
    """A fresh copy of the dossier, to spoil."""
    return dict(json.loads(content()))


@cache
def model() -> Model:
    return read_model(data())


def store_with_job(folder: Path, *, bench: str = "typed") -> tuple[sqlite3.Connection, int]:
    """A new store with one set and one job; the connection and the job's id."""
    conn = db.connect(folder / db.FILE_NAME)
    shelf_work.take_in_dossier(conn, content(), name="halvern-6b.json")
    row = shelf.model_by_key(conn, "halvern-6b")
    assert row is not None
    set_id = shelf.add_set(conn, model_id=row.id, serial="1", owner="", remarks="", at_utc="2026-11-24T10:00:00.000Z")
    return conn, shelf.add_job(conn, set_id=set_id, complaint="weak", bench=bench, at_utc="2026-11-24T10:00:00.000Z")


def new_run(conn: sqlite3.Connection, job_id: int, clock: Callable[[], str], *, bench: str = "typed") -> RunBook:
    run_id = begin_run(conn, job_id=job_id, phase="intermediate frequency", bench=bench, at_utc=clock())
    return RunBook(conn, run_id, clock=clock)


def clock() -> MadeUpClock:
    return MadeUpClock(MORNING)
