"""Every band: alive and sensitive in two columns, and the aerial coils."""

import sqlite3
from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, url_for

from calm_needle.errors import FieldsRefused, InstrumentError, JobMovedOn
from calm_needle.web.asking import need_meters, typed_form, workshop
from calm_needle.work import bands as work
from calm_needle.work import revisions
from calm_needle.work.meters import Meters

screen = Blueprint("bands", __name__, url_prefix="/jobs/<int:job_id>/bands")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def keep(job_id: int) -> Response:
    with workshop().store() as conn:
        try:
            revisions.check(conn, "bands", job_id, typed_form())
            work.keep(conn, job_id, typed_form())
        except JobMovedOn as fault:
            return make_response(_render(job_id, typed=typed_form(), faults={"coupling": str(fault)}), 409)
        except FieldsRefused as fault:
            return make_response(_render(job_id, typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("bands.page", job_id=job_id), 303))


@screen.post("/coils")
def read_coils(job_id: int) -> Response:
    return _read(job_id, work.read_coils)


@screen.post("/hear/<band>")
def hear(job_id: int, band: str) -> Response:
    return _read(job_id, lambda conn, job_id, meters: work.hear(conn, job_id, band, meters))


def _read(job_id: int, read: Callable[[sqlite3.Connection, int, Meters], None]) -> Response:
    """Have the instruments read something; the page again, or what stood in their way."""
    with workshop().store() as conn:
        try:
            read(conn, job_id, need_meters(conn, job_id))
        except FieldsRefused as fault:
            return make_response(_render(job_id, faults={"coupling": " ".join(fault.faults.values())}), 422)
        except InstrumentError as fault:
            return make_response(_render(job_id, faults={"coupling": str(fault)}), 503)
    return make_response(redirect(url_for("bands.page", job_id=job_id), 303))


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
        more["seen"] = revisions.seen(conn, "bands", job_id)
    return render_template("bands/page.html", **{"typed": {}, "faults": {}, "view": view, **more})
