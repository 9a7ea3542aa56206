"""The dossier of one set: edited table by table, its versions, and what is different between two."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, whole, workshop
from calm_needle.work.jobs import revisions
from calm_needle.work.jobs import set_dossier as work

screen = Blueprint("set_dossier", __name__, url_prefix="/jobs/<int:job_id>/dossier")
FIRST = "facts"


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id, FIRST)


@screen.get("/<table>")
def table(job_id: int, table: str) -> str:
    return _render(job_id, table)


@screen.post("/<table>")
def save(job_id: int, table: str) -> Response:
    return _do(job_id, table, lambda conn: work.save(conn, job_id, table, typed_form()))


@screen.post("/<table>/undo")
def undo(job_id: int, table: str) -> Response:
    return _do(job_id, table, lambda conn: work.undo(conn, job_id))


@screen.post("/<table>/go-back")
def go_back(job_id: int, table: str) -> Response:
    return _do(job_id, table, lambda conn: work.go_back(conn, job_id, whole(request.form.get("version"))))


@screen.post("/<table>/take-over")
def take_over(job_id: int, table: str) -> Response:
    return _do(job_id, table, lambda conn: work.take_over(conn, job_id))


@screen.get("/compare")
def compare(job_id: int) -> str:
    a, b = request.args.get("a", "model"), request.args.get("b", "now")
    with workshop().store() as conn:
        view = work.view(conn, job_id, FIRST)
        found = work.compare(conn, job_id, a=a, b=b)
        runs = work.runs_begun(conn, job_id)
    return render_template("set_dossier/compare.html", view=view, found=found, a=a, b=b, runs=runs)


def _do(job_id: int, table: str, do: Callable[[sqlite3.Connection], None]) -> Response:
    def checked(conn: sqlite3.Connection) -> None:
        revisions.check(conn, "dossier", job_id, typed_form())
        do(conn)

    then = url_for("set_dossier.table", job_id=job_id, table=table)
    return act(checked, then=lambda _: then, again=partial(_render, job_id, table), of_all="table")


def _render(job_id: int, table: str, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id, table)
        more["seen"] = revisions.seen(conn, "dossier", job_id)
    return render_template("set_dossier/page.html", **{"typed": {}, "faults": {}, "view": view, **more})
