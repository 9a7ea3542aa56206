"""The dossier of one set, edited table by table: its versions, what is different between two, and a newer one of its model's taken over."""

import sqlite3
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.compare import Difference, carried, differences
from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.fit import Misfit, misfits
from calm_needle.core.dossier.model import Model
from calm_needle.core.dossier.tables import SPARE_ROWS, TABLES, Table, texts, widths, with_table
from calm_needle.errors import FieldsRefused, FileRefused, NotFound
from calm_needle.sim.receiver.circuit_faults import circuit_faults
from calm_needle.store import own_dossiers, runs, shelf
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.own_dossier import data_of, keep_own
from calm_needle.work.jobs.shelf import job_of, model_of_dossier

MOST_DIFFERENCES = 400


class Version(NamedTuple):
    """One version as the page shows it. number: counted from one; current: whether the set has it now."""

    id: int
    number: int
    words: str
    at: str
    current: bool
    as_model: bool


@dataclass(frozen=True)
class SetDossierView:
    """What the page shows. newer: whether its model has another dossier by now than the one it set out from; lost: what of it could not be
    carried into that."""

    job: JobRow
    model: Model
    table: Table
    tables: list[tuple[str, str, int]]  # name, title, rows
    rows: list[list[str]]
    widths: list[int]  # letters, column by column
    versions: list[Version]
    has_own: bool
    newer: bool
    lost: list[Difference]
    filled: list[str]
    misfits: list[Misfit]


def view(conn: sqlite3.Connection, job_id: int, table_name: str) -> SetDossierView:
    """Return the dossier of a job's set with one of its tables. Raises NotFound."""
    job, table = job_of(conn, job_id), _table(table_name)
    data = data_of(conn, job.dossier_id)
    rows = texts(table, data)
    if not table.one:
        rows += [[""] * len(table.columns) for _ in range(SPARE_ROWS)]
    found = own_dossiers.versions(conn, job.set_id)
    now = own_dossiers.current(conn, job.set_id)
    listed = [
        Version(v.id, n, v.words, f"{v.at_utc[:10]} {v.at_utc[11:16]}", v is found[-1], v.dossier_id is None)
        for n, v in enumerate(found, start=1)
    ]
    newest = _models_newest(conn, job)
    newer = now is not None and own_dossiers.base(conn, job.set_id) != newest
    lost = _carried(conn, job, newest)[1] if newer else []
    counted = [(t.name, t.title, len(list(t.rows(data)))) for t in TABLES.values()]
    model = model_of_dossier(conn, job.dossier_id)
    wide = widths(table, rows)
    filled, unfit = filled_in(data)[1], misfits(model)
    return SetDossierView(job, model, table, counted, rows, wide, listed[::-1], now is not None, newer, lost, filled, unfit)


def save(conn: sqlite3.Connection, job_id: int, table_name: str, form: dict[str, str]) -> None:
    """Keep a table as it was typed, as the next version of the set's own dossier. Raises NotFound, FieldsRefused with every fault."""
    job, table = job_of(conn, job_id), _table(table_name)
    before = data_of(conn, job.dossier_id)
    data = with_table(table, before, form)
    if data == before:
        raise FieldsRefused({"table": "Nothing was changed."})
    try:
        with transaction(conn):
            keep_own(conn, job, data, words=_said(table, differences(before, data)), at_utc=now_utc(conn))
            if faults := list(circuit_faults(data)):
                raise FileRefused(job.model_key, faults)
    except FileRefused as refused:
        raise FieldsRefused({"table": " ".join(f"{f.path}: {f.sentence}." for f in refused.faults[:12])}) from None


def go_back(conn: sqlite3.Connection, job_id: int, version_id: int) -> None:
    """Let an earlier version be the set's dossier again, as a version of its own; nothing that came after it is lost. Raises NotFound."""
    job = job_of(conn, job_id)
    found = own_dossiers.versions(conn, job.set_id)
    number, row = next(((n, v) for n, v in enumerate(found, start=1) if v.id == version_id), (0, None))
    if row is None:
        raise NotFound("version of this set’s dossier", version_id)
    with transaction(conn):
        said = f"as version {number} was"
        own_dossiers.point(conn, set_id=job.set_id, dossier_id=row.dossier_id, base_id=row.base_id, words=said, at_utc=now_utc(conn))


def undo(conn: sqlite3.Connection, job_id: int) -> None:
    """Take the last version back: what stood before it stands again. Raises NotFound, FieldsRefused where there is nothing to take back."""
    job = job_of(conn, job_id)
    found = own_dossiers.versions(conn, job.set_id)
    if not found or found[-1].dossier_id is None:
        raise FieldsRefused({"table": "It is as its model’s: there is nothing to take back."})
    before = found[-2] if len(found) > 1 else None
    with transaction(conn):
        own_dossiers.point(
            conn,
            set_id=job.set_id,
            dossier_id=before.dossier_id if before else None,
            base_id=before.base_id if before else found[-1].base_id,
            words=f"taken back: {found[-1].words}",
            at_utc=now_utc(conn),
        )


def compare(conn: sqlite3.Connection, job_id: int, *, a: str, b: str) -> list[Difference]:
    """Return what is different between two: versions by their ids, “model”, “now”, or “run-N” for the one that a run was begun with.

    Raises NotFound.
    """
    job = job_of(conn, job_id)
    before, after = (data_of(conn, _dossier_of(conn, job, name)) for name in (a, b))
    return differences(before, after)[:MOST_DIFFERENCES]


def runs_begun(conn: sqlite3.Connection, job_id: int) -> list[tuple[int, str]]:
    """Return the runs of a job, each of which keeps the dossier that it was begun with: number and phase."""
    return [(r.id, r.phase) for r in runs.runs_of_job(conn, job_id)]


def take_over(conn: sqlite3.Connection, job_id: int) -> None:
    """Let the set's dossier set out from its model's newest, with everything that was added or changed here carried into it.

    Raises NotFound, FieldsRefused where it cannot be carried: the set then keeps what it has.
    """
    job = job_of(conn, job_id)
    newest = _models_newest(conn, job)
    data, _ = _carried(conn, job, newest)
    try:
        with transaction(conn):
            keep_own(conn, job, data, words="carried into its model’s newer dossier", at_utc=now_utc(conn), base_id=newest)
    except FileRefused as refused:
        raise FieldsRefused({"table": " ".join(f"{f.path}: {f.sentence}." for f in refused.faults[:12])}) from None


def _carried(conn: sqlite3.Connection, job: JobRow, newest: int) -> tuple[dict[str, object], list[Difference]]:
    own, base = data_of(conn, job.dossier_id), data_of(conn, own_dossiers.base(conn, job.set_id))
    return carried(differences(base, own), into=data_of(conn, newest))


def _dossier_of(conn: sqlite3.Connection, job: JobRow, name: str) -> int:
    of_runs = {f"run-{r.id}": r.dossier_id for r in runs.runs_of_job(conn, job.id)}
    of_versions = {str(v.id): v.dossier_id or v.base_id for v in own_dossiers.versions(conn, job.set_id)}
    known = {"model": _models_newest(conn, job), "now": job.dossier_id, **of_runs, **of_versions}
    if name not in known:
        raise NotFound("version of this set’s dossier", name[:20])
    return known[name]


def _models_newest(conn: sqlite3.Connection, job: JobRow) -> int:
    row = shelf.model_by_key(conn, job.model_key)
    if row is None:
        raise NotFound("model", job.model_key)
    return row.dossier_id


def _table(name: str) -> Table:
    if name not in TABLES:
        raise NotFound("table of a dossier", name[:30])
    return TABLES[name]


def _said(table: Table, found: list[Difference]) -> str:
    """What was done, in a line: the first differences of it."""
    return f"{table.title}: " + "; ".join(" › ".join(d.way[1:] or d.way) for d in found[:3]) + (" …" if len(found) > 3 else "")
