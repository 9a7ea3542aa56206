"""A job out into a file and in again: the same bytes out of any store; what is wrong in any way is refused, and nothing is changed."""

import json
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import NamedTuple

from calm_needle.core.procedure.plan import read_plan
from calm_needle.errors import CalmNeedleError, Fault, FileRefused
from calm_needle.files import job_file, photographs
from calm_needle.files.dossiers import load_dossier
from calm_needle.files.job_file import Columns, JobFile
from calm_needle.store import db, job_tables, runs, shelf
from calm_needle.store import photographs as photograph_store
from calm_needle.store.db import transaction
from calm_needle.store.trial import trial
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.jobs import recordings
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.record import job_record

# What reading rows may end in that are each right and belong to no job that ever was.
SENSELESS = (CalmNeedleError, KeyError, TypeError, ValueError, AttributeError, IndexError, ArithmeticError, AssertionError, StopIteration)


class Preview(NamedTuple):
    """What taking a job in would do: the set it belongs to, whether model and set are here already, how much it holds, what differs."""

    model: str
    serial: str
    complaint: str
    opened: str
    model_known: bool
    set_known: bool
    counts: list[tuple[str, int]]
    pictures: int
    same_as: int | None  # a job of this store that is the very same
    remarks: list[str]


def write(conn: sqlite3.Connection, folder: Path, job_id: int) -> bytes:
    """Return a job as its file. folder: where photographs are kept. Raises NotFound."""
    job = job_of(conn, job_id)
    model = shelf.model_by_key(conn, job.model_key)
    assert model is not None
    listed = _dossiers(conn, job_id, model.dossier_id)
    numbers = {i: n for n, (i, _, _, _) in enumerate(listed, start=1)}
    serial, owner, remarks, added, own = job_tables.set_of_file(conn, job.set_id)
    tables = job_tables.take_out(conn, job_id=job_id, set_id=job.set_id, dossiers=numbers)
    pictures = {}
    for row in photograph_store.photographs_of_job(conn, job_id):
        path = photographs.path_of(folder, row.sha256, small=False)
        if path.is_file():
            pictures[row.sha256] = path.read_bytes()
    return job_file.write_job(
        model={"key": model.key, "name": model.name},
        radio_set={"serial": serial, "owner": owner, "remarks": remarks, "added_utc": added, "dossier": numbers.get(own) if own else None},
        job={"complaint": job.complaint, "bench": job.bench, "opened_utc": job.opened_utc},
        dossiers=[{"sha256": sha, "taken_in_utc": at, "content": content} for _, sha, at, content in listed],
        tables=tables,
        photographs=pictures,
    )


def _dossiers(conn: sqlite3.Connection, job_id: int, models_own: int) -> list[tuple[int, str, str, str]]:
    """The dossiers of a job's file, the model's own first, then in the order of their digests: no store's numbers show in a file."""
    ids = [i for i, _ in job_tables.dossiers_of(conn, job_id=job_id)]
    rows = []
    for i in ids:
        rows.append((i, *job_tables.dossier_of_file(conn, i)))
    return sorted(rows, key=lambda r: (r[0] != models_own, r[1]))


def columns(conn: sqlite3.Connection) -> dict[str, Columns]:
    """Return what each table of a job's file may hold, as this store has it."""
    out = {}
    for table in job_tables.TABLES:
        found = job_tables.columns_of(conn, table)
        kinds = {c.name: (c.kind, c.may_be_empty) for c in found}
        added = {c.name: c.default for c in found if c.default is not None or c.may_be_empty}
        owner = {table.whose: table.of} if table.of not in job_tables.ROOTS else {}
        out[table.name] = Columns(kinds, table.json, {**owner, **table.names}, table.last, table.numbered, added)
    return out


def schema(conn: sqlite3.Connection) -> str:
    """Return the JSON Schema of a job's file as text."""
    return json.dumps(job_file.schema_of(columns(conn)), indent=1, ensure_ascii=False) + "\n"


def read(conn: sqlite3.Connection, content: bytes, *, name: str) -> JobFile:
    """Return what a job's file holds, its dossiers, plans and photographs looked at too. Raises FileRefused with all faults."""
    found = job_file.read_job(content, name=name, tables=columns(conn))
    faults: list[Fault] = []
    for n, dossier in enumerate(found.dossiers):
        try:
            data = load_dossier(dossier["content"].encode(), name=f"dossiers[{n}]")
            if data["model"]["id"] != found.model["key"] if "model" in data else False:
                faults.append(Fault(f"dossiers[{n}]", "it is of another model"))
        except FileRefused as refused:
            faults += [Fault(f"dossiers[{n}].{f.path}".rstrip("."), f.sentence) for f in refused.faults[:3]]
    if found.job["bench"] not in ("instruments", "typed"):
        faults.append(Fault("job.bench", "it is instruments or typed"))
    _, plans = found.tables.get("run_plan", ([], []))
    for n, row in enumerate(plans):
        try:
            read_plan(row[-1])
        except SENSELESS as fault:
            faults.append(Fault(f"tables.run_plan[{n}]", f"it is no plan of a run ({type(fault).__name__})"))
    faults += _recordings(found)
    shas = {row[0] for row in found.tables.get("photograph", ([], []))[1]}
    for sha in found.photographs:
        if sha not in shas:
            faults.append(Fault(f"photographs.{sha[:12]}", "no line of the job is about it"))
            continue
        try:
            photographs.take_back(found.photographs[sha], sha256=sha)
        except FileRefused as refused:
            faults += [Fault(f"photographs.{sha[:12]}", refused.faults[0].sentence)]
    if faults:
        raise FileRefused(name, faults[: job_file.MOST_FAULTS])
    return found


def _recordings(found: JobFile) -> list[Fault]:
    listed, rows = found.tables.get("recording", ([], []))
    part_columns, parts = found.tables.get("recording_part", ([], []))
    samples: dict[int, list[str]] = {}
    for part in parts:
        row = dict(zip(part_columns, part, strict=True))
        samples.setdefault(row["recording_id"], []).append(row["samples"])
    return recordings.faults_of(listed, rows, samples)


def preview(conn: sqlite3.Connection, content: bytes, *, name: str) -> Preview:
    """Return what taking in a job's file would do. Raises FileRefused with all faults."""
    found = read(conn, content, name=name)
    model = shelf.model_by_key(conn, found.model["key"])
    set_id = shelf.set_of_serial(conn, model_id=model.id, serial=found.radio_set["serial"]) if model else None
    counts = [(name_.replace("_", " "), len(rows)) for name_, (_, rows) in found.tables.items()]
    remarks = []
    if set_id is not None:
        remarks.append("The set is here already: the job is added to it, and what is known of the set itself stays as it is here.")
    missing = len(found.tables.get("photograph", ([], []))[1]) - len(found.photographs)
    if missing > 0:
        remarks.append(f"{missing} photographs are named in it and not in the file; their lines come in without them.")
    same = _same(conn, found)
    if same is not None:
        remarks.append(f"It is job {same} of this store, as it stands: taken in once more, it stands here twice.")
    opened = found.job["opened_utc"][:10]
    return Preview(
        found.model["name"],
        found.radio_set["serial"],
        found.job["complaint"],
        opened,
        model is not None,
        set_id is not None,
        counts,
        len(found.photographs),
        same,
        remarks,
    )


def _same(conn: sqlite3.Connection, found: JobFile) -> int | None:
    m, of_set, job = found.model, found.radio_set, found.job
    return job_tables.same_job(conn, key=m["key"], serial=of_set["serial"], opened_utc=job["opened_utc"], complaint=job["complaint"])


def take_in(conn: sqlite3.Connection, folder: Path, content: bytes, *, name: str) -> int:
    """Take in a job's file and return the job's id: all of it or nothing. Raises FileRefused with all faults."""
    found = read(conn, content, name=name)
    for sha, jpeg in found.photographs.items():  # named by what is in them: one that nobody refers to in the end does no harm
        photographs.keep(folder, photographs.take_back(jpeg, sha256=sha))
    try:
        with _elsewhere(conn, found) as tried:  # read as every page would, before this store is touched
            with transaction(tried):
                tried_as = _put(tried, found)
            _must_make_sense(tried, tried_as)
        with transaction(conn):
            job_id = _put(conn, found)
    except sqlite3.IntegrityError as fault:
        raise FileRefused(name, [Fault("tables", f"something in it cannot stand in a store ({fault})")]) from None
    except _Senseless as fault:
        raise FileRefused(name, [Fault("tables", str(fault))]) from None
    return job_id


@contextmanager
def _elsewhere(conn: sqlite3.Connection, found: JobFile) -> Iterator[sqlite3.Connection]:
    """A store to try a job's file in: an empty one, or a copy of this one where what is here of the same set counts."""
    model = shelf.model_by_key(conn, found.model["key"])
    if model is not None and shelf.set_of_serial(conn, model_id=model.id, serial=found.radio_set["serial"]) is not None:
        with trial(conn) as copy:
            yield copy
        return
    with closing(db.connect(db.IN_MEMORY)) as empty:
        yield empty


class _Senseless(Exception):
    """Rows that are each right and make no sense together."""


def _must_make_sense(conn: sqlite3.Connection, job_id: int) -> None:
    """Read the job as every page would, before it is kept."""
    try:
        for run in runs.runs_of_job(conn, job_id):
            if aside := RunBook(conn, run.id).set_aside:
                raise _Senseless(f"what it holds makes no sense together (an act of run {run.id} does not fit it: {aside[0].kind})")
        job_record.record_of(conn, job_id)
    except SENSELESS as fault:
        raise _Senseless(f"what it holds makes no sense together ({type(fault).__name__}: {str(fault)[:80]})") from fault


def _put(conn: sqlite3.Connection, found: JobFile) -> int:
    own = found.dossiers[0]
    model = shelf.model_by_key(conn, found.model["key"])
    if model is None:
        first = shelf.add_dossier(
            conn,
            key=found.model["key"],
            name=found.model["name"],
            content=own["content"],
            sha256=own["sha256"],
            at_utc=own["taken_in_utc"],
        )
        model = shelf.model_by_key(conn, found.model["key"])
        assert model is not None and first
    dossiers = {
        n: shelf.add_content(conn, model.id, d["content"], d["sha256"], d["taken_in_utc"]) for n, d in enumerate(found.dossiers, start=1)
    }
    known = shelf.set_of_serial(conn, model_id=model.id, serial=found.radio_set["serial"])
    s = found.radio_set
    set_id = known or shelf.add_set(
        conn, model_id=model.id, serial=s["serial"], owner=s["owner"], remarks=s["remarks"], at_utc=s["added_utc"]
    )
    job_id = shelf.add_job(conn, set_id=set_id, complaint=found.job["complaint"], bench=found.job["bench"], at_utc=found.job["opened_utc"])
    job_tables.put_in(conn, found.tables, job_id=job_id, set_id=set_id, dossiers=dossiers, with_set=known is None)
    if known is None and s["dossier"]:
        if s["dossier"] not in dossiers:
            raise _Senseless("set.dossier: there is no such dossier in this file")
        job_tables.give_dossier(conn, set_id=set_id, dossier_id=dossiers[s["dossier"]])
    return job_id


def name_of(conn: sqlite3.Connection, job_id: int) -> str:
    """Return what a job's file is called. Raises NotFound."""
    job = job_of(conn, job_id)
    return f"{job.model_key}-{job.id}.calm-needle.json"
