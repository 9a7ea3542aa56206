"""What was changed in a set, one by one, with the quick test after each."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import meters_of, typed_form, workshop
from calm_needle.work import donor_stock
from calm_needle.work.jobs import revisions
from calm_needle.work.soundness import repairs as work

screen = Blueprint("repairs", __name__, url_prefix="/jobs/<int:job_id>/repairs")


@screen.get("")
def page(job_id: int) -> str:
    """The changes; from the sweep of the parts one comes with the part already chosen."""
    part = request.args.get("part")
    return _render(job_id, form="change", typed={"part": part}) if part else _render(job_id)


@screen.post("")
def record(job_id: int) -> Response:
    def do(conn: sqlite3.Connection) -> None:
        with workshop().mending(conn, job_id):
            work.record(conn, job_id, typed_form(), meters_of(conn, job_id))

    return _do(job_id, "change", do)


@screen.post("/test")
def quick_test(job_id: int) -> Response:
    return _do(job_id, "test", lambda conn: work.quick_test(conn, job_id, typed_form()))


def _do(job_id: int, form: str, do: Callable[[sqlite3.Connection], None]) -> Response:
    def checked(conn: sqlite3.Connection) -> None:
        revisions.check(conn, "repairs", job_id, typed_form())
        do(conn)

    of_all = {"change": "part", "test": "outcome"}[form]
    return act(checked, then=lambda _: url_for("repairs.page", job_id=job_id), again=partial(_render, job_id, form=form), of_all=of_all)


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
        more["donors"] = donor_stock.for_parts_that_are_out(conn, job_id)
        more["seen"] = revisions.seen(conn, "repairs", job_id)
    return render_template("repairs/page.html", **{"form": "", "typed": {}, "faults": {}, "view": view, **more})
