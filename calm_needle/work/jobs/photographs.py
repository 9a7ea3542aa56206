"""Photographs of a job: taken in, pinned, shown."""

import sqlite3
from dataclasses import dataclass
from pathlib import Path

from calm_needle.clock import now_utc
from calm_needle.errors import FieldsRefused, NotFound, StoreUnusable
from calm_needle.files import photographs as files
from calm_needle.store import photographs as store
from calm_needle.store.photographs import PhotographRow, PinRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.shelf import job_of

PIN_KINDS = ("adjuster", "lead", "oddity")
LONGEST_WORDS = 120
MOST_OF_A_JOB = 400


@dataclass(frozen=True)
class PhotographsView:
    """The photographs of a job with their pins."""

    job: JobRow
    photographs: list[tuple[PhotographRow, list[PinRow]]]
    chosen: set[int]  # those that are shown in the record
    kinds: tuple[str, ...] = PIN_KINDS


def view(conn: sqlite3.Connection, job_id: int) -> PhotographsView:
    """Return the photographs of a job, newest first. Raises NotFound."""
    job = job_of(conn, job_id)
    rows = reversed(store.photographs_of_job(conn, job_id))
    return PhotographsView(job, [(p, store.pins_of_photograph(conn, p.id)) for p in rows], store.chosen_of_job(conn, job_id))


def attach(conn: sqlite3.Connection, folder: Path, job_id: int, *, content: bytes, name: str, caption: str) -> int:
    """Take in a photograph and keep it with a job; return its id. Raises NotFound, FileRefused, FieldsRefused, StoreUnusable."""
    job_of(conn, job_id)
    if store.count_photographs(conn, job_id) >= MOST_OF_A_JOB:
        raise FieldsRefused({"picture": f"A job keeps {MOST_OF_A_JOB} photographs; open another for what comes."})
    taken = files.take_in(content, name=name)
    try:
        files.keep(folder, taken)
    except OSError as fault:
        raise StoreUnusable(
            f"The photograph could not be written ({fault.strerror}), so it was not kept. Make room, then attach it again."
        ) from fault
    try:
        return store.add_photograph(
            conn,
            job_id=job_id,
            sha256=taken.sha256,
            caption=caption.strip()[:LONGEST_WORDS],
            width=taken.width,
            height=taken.height,
            at_utc=now_utc(conn),
        )
    except sqlite3.IntegrityError:
        raise FieldsRefused({"picture": "That very picture is with this job already."}) from None


def file_of(conn: sqlite3.Connection, folder: Path, job_id: int, photograph_id: int, *, small: bool) -> Path:
    """Return where a photograph of a job lies. Raises NotFound."""
    row = _find(conn, job_id, photograph_id)
    path = files.path_of(folder, row.sha256, small=small)
    if not path.is_file():
        raise NotFound("file of photograph", photograph_id)
    return path


def pin(conn: sqlite3.Connection, job_id: int, photograph_id: int, form: dict[str, str]) -> None:
    """Put a pin on a photograph (kind, label; x, y in per cent of width and height). Raises NotFound, FieldsRefused."""
    _find(conn, job_id, photograph_id)
    label = form.get("label", "").strip()[:LONGEST_WORDS]
    faults = {}
    if form.get("kind") not in PIN_KINDS:
        faults["kind"] = f"Choose one: {', '.join(PIN_KINDS)}."
    if not label:
        faults["label"] = "Name what is there: a designation, a lead’s colour, what is odd."
    place = {}
    for axis in ("x", "y"):
        try:
            place[axis] = float(form.get(axis, "").replace(",", ".")) / 100.0
            if not 0.0 <= place[axis] <= 1.0:
                raise ValueError
        except ValueError:
            faults[axis] = "Point at the place, or type it in per cent from the left and from the top."
    if faults:
        raise FieldsRefused(faults)
    store.add_pin(conn, photograph_id=photograph_id, kind=form["kind"], label=label, x=place["x"], y=place["y"], at_utc=now_utc(conn))


def choose(conn: sqlite3.Connection, job_id: int, photograph_id: int, form: dict[str, str]) -> None:
    """Show a photograph in the record of its job and on its certificate (chosen: yes), or no longer. Raises NotFound, FieldsRefused."""
    row = _find(conn, job_id, photograph_id)
    if form.get("chosen") == "yes" and not row.caption:
        raise FieldsRefused({"chosen": "Nobody has said what it shows: a picture without words proves nothing. Attach it with words."})
    store.choose(conn, photograph_id=photograph_id, chosen=form.get("chosen") == "yes")


def take_out(conn: sqlite3.Connection, job_id: int, photograph_id: int, pin_id: int) -> None:
    """Take a pin out again. Raises NotFound."""
    _find(conn, job_id, photograph_id)
    if pin_id not in {p.id for p in store.pins_of_photograph(conn, photograph_id)}:
        raise NotFound("pin on this photograph", pin_id)
    store.take_out_pin(conn, pin_id=pin_id, at_utc=now_utc(conn))


def _find(conn: sqlite3.Connection, job_id: int, photograph_id: int) -> PhotographRow:
    row = store.photograph(conn, photograph_id)
    if row is None or row.job_id != job_id:
        raise NotFound("photograph of this job", photograph_id)
    return row
