"""Intake: what is asked when a set comes in."""

import sqlite3
from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, url_for

from calm_needle.errors import FieldsRefused
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import intake_entries as work

screen = Blueprint("intake", __name__, url_prefix="/jobs/<int:job_id>/intake")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def add(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.add(conn, job_id, typed_form()))


@screen.post("/<int:entry_id>/end")
def end(job_id: int, entry_id: int) -> Response:
    return _do(job_id, lambda conn: work.end(conn, job_id, entry_id))


def _do(job_id: int, act: Callable[[sqlite3.Connection], None]) -> Response:
    with workshop().store() as conn:
        try:
            act(conn)
        except FieldsRefused as fault:
            return make_response(_render(job_id, typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("intake.page", job_id=job_id), 303))


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    return render_template("intake/page.html", **{"typed": {}, "faults": {}, "view": view, **more})
