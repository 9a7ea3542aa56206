"""Safe start: the ladder of limited power, what the meters show, and the button for smoke."""

import sqlite3
from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.errors import FieldsRefused
from calm_needle.files.svg_picture import draw
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import safe_start as work

screen = Blueprint("start", __name__, url_prefix="/jobs/<int:job_id>/start")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/climb")
def climb(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.climb(conn, job_id))


@screen.post("/read")
def read(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.read(conn, job_id, typed_form()))


@screen.post("/smoke")
def smoke(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.smoke(conn, job_id, request.form.get("words", "")))


@screen.post("/cause")
def cause(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.found_cause(conn, job_id, request.form.get("cause", "")))


@screen.post("/finish")
def finish(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.finish(conn, job_id), then="job.page")


def _do(job_id: int, act: Callable[[sqlite3.Connection], None], *, then: str = "start.page") -> Response:
    with workshop().store() as conn:
        try:
            act(conn)
        except FieldsRefused as fault:
            return make_response(_render(job_id, typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for(then, job_id=job_id), 303))


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    chart = draw(view.picture) if view.picture else ""
    return render_template("start/page.html", **{"typed": {}, "faults": {}, "view": view, "chart": chart, **more})
