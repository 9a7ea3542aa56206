"""The dial of a set: each band's frequencies, its marks as they were read, and where its oscillator runs."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import need_meters, typed_form, workshop
from calm_needle.work.jobs import dial as work

screen = Blueprint("dial", __name__, url_prefix="/jobs/<int:job_id>/dial")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/oscillator")
def sweep(job_id: int) -> Response:
    return act(
        lambda conn: work.sweep(conn, job_id, typed_form(), need_meters(conn, job_id)),
        then=lambda _: url_for("dial.page", job_id=job_id, _anchor="oscillator"),
        again=partial(_render, job_id),
        of_all="coverage",
    )


@screen.post("/typed")
def type_in(job_id: int) -> Response:
    return act(
        lambda conn: work.type_in(conn, job_id, typed_form()),
        then=lambda _: url_for("dial.page", job_id=job_id, _anchor="oscillator"),
        again=partial(_render, job_id),
        of_all="lines",
    )


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    drawn = {
        b.id: {"plan": draw(b.plan), "scale": draw(b.scale) if b.scale else "", "curve": draw(b.curve) if b.curve else ""}
        for b in view.bands
    }
    levels = [(band, picture.title, draw(picture)) for band, picture in view.levels]
    return render_template("dial/page.html", **{"typed": {}, "faults": {}, "view": view, "drawn": drawn, "levels": levels, **more})
