"""The chassis map of a set: what was found where, over the drawing or a photograph."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.jobs import chassis_map as work

screen = Blueprint("map", __name__, url_prefix="/jobs/<int:job_id>/map")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def mark(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.mark(conn, job_id, typed_form()))


@screen.post("/off")
def take_off(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.take_off(conn, job_id, request.form.get("label", "")))


def _do(job_id: int, do: Callable[[sqlite3.Connection], None]) -> Response:
    back = url_for("map.page", job_id=job_id, side=_side(), over=request.args.get("over"))
    return act(do, then=lambda _: back, again=partial(_render, job_id))


def _side() -> str:
    side = request.form.get("side") or request.args.get("side")
    return side if side in ("above", "below") else "above"


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    over = next((p for p in view.photographs if str(p.id) == request.args.get("over")), None)
    return render_template("map/page.html", **{"typed": {}, "faults": {}, "view": view, "side": _side(), "over": over, **more})
