"""Every band: alive and sensitive in two columns, and the aerial coils."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import need_meters, typed_form, workshop
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs import revisions
from calm_needle.work.soundness import bands as work

screen = Blueprint("bands", __name__, url_prefix="/jobs/<int:job_id>/bands")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def keep(job_id: int) -> Response:
    def kept(conn: sqlite3.Connection) -> None:
        revisions.check(conn, "bands", job_id, typed_form())
        work.keep(conn, job_id, typed_form())

    return act(kept, then=lambda _: url_for("bands.page", job_id=job_id), again=partial(_render, job_id), of_all="coupling")


@screen.post("/coils")
def read_coils(job_id: int) -> Response:
    return _read(job_id, work.read_coils, at="coils")


@screen.post("/hear/<band>")
def hear(job_id: int, band: str) -> Response:
    return _read(job_id, lambda conn, job_id, meters: work.hear(conn, job_id, band, meters), at=f"level-{band}")


def _read(job_id: int, read: Callable[[sqlite3.Connection, int, Meters], None], *, at: str) -> Response:
    """Have the instruments read something; the page again, or what stood in their way, where it was asked for."""
    return act(
        lambda conn: read(conn, job_id, need_meters(conn, job_id)),
        then=lambda _: url_for("bands.page", job_id=job_id),
        again=lambda *, typed, faults: _render(job_id, faults={at: " ".join(faults.values())}),
    )


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
        more["seen"] = revisions.seen(conn, "bands", job_id)
    return render_template("bands/page.html", **{"typed": {}, "faults": {}, "view": view, **more})
