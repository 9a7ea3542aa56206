"""Every band: alive and sensitive in two columns, and the aerial coils."""

from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, url_for

from calm_needle.errors import FieldsRefused
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import bands as work

screen = Blueprint("bands", __name__, url_prefix="/jobs/<int:job_id>/bands")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def keep(job_id: int) -> Response:
    with workshop().store() as conn:
        try:
            work.keep(conn, job_id, typed_form())
        except FieldsRefused as fault:
            return make_response(_render(job_id, typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("bands.page", job_id=job_id), 303))


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    return render_template("bands/page.html", **{"typed": {}, "faults": {}, "view": view, **more})
