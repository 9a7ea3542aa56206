"""Guided pieces of work: choose one, go through its stages, end it."""

import sqlite3
from functools import partial
from typing import Any

from flask import Blueprint, Response, make_response, render_template, request, url_for

from calm_needle.errors import FieldsRefused, InstrumentError
from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import meters_of, need_meters, typed_form, workshop
from calm_needle.work.jobs import revisions
from calm_needle.work.soundness import guided as work
from calm_needle.work.soundness import guided_meters

screen = Blueprint("guided", __name__, url_prefix="/jobs/<int:job_id>/guided")


@screen.get("")
def page(job_id: int) -> str:
    return _index(job_id)


@screen.post("")
def begin(job_id: int) -> Response:
    return act(
        lambda conn: work.begin(conn, job_id, typed_form()),
        then=lambda work_id: url_for("guided.stage", job_id=job_id, work_id=work_id),
        again=partial(_index, job_id),
    )


@screen.get("/<int:work_id>")
def stage(job_id: int, work_id: int) -> str:
    return _render(job_id, work_id)


@screen.post("/<int:work_id>")
def answer(job_id: int, work_id: int) -> Response:
    """Keep a stage's answers; or, for a button beside a field, read it by its meter and show the form again with it filled in."""
    form = typed_form()
    if form.get("read"):
        return _read(job_id, work_id, form)

    def kept(conn: sqlite3.Connection) -> None:
        revisions.check(conn, "guided", work_id, form)
        work.answer(conn, job_id, work_id, form, meters_of(conn, job_id))

    here = url_for("guided.stage", job_id=job_id, work_id=work_id)
    return act(kept, then=lambda _: here, again=partial(_render, job_id, work_id, stage=form.get("stage")))


@screen.post("/<int:work_id>/end")
def end(job_id: int, work_id: int) -> Response:
    def ended(conn: sqlite3.Connection) -> None:
        with workshop().mending(conn, job_id):
            work.end(conn, job_id, work_id, typed_form())

    return act(
        ended,
        then=lambda _: url_for("guided.page", job_id=job_id),
        again=partial(_render, job_id, work_id, stage="end"),
    )


def _read(job_id: int, work_id: int, form: dict[str, str]) -> Response:
    """The form again, with what a meter found in its field."""
    stage = form.get("stage")
    with workshop().store() as conn:
        try:
            found = guided_meters.measure(conn, job_id, work_id, form, need_meters(conn, job_id))
        except FieldsRefused as fault:
            return make_response(_render(job_id, work_id, stage=stage, typed=form, faults=fault.faults), 422)
        except InstrumentError as fault:
            return make_response(_render(job_id, work_id, stage=stage, typed=form, faults={"value": str(fault)}), 503)
    return make_response(_render(job_id, work_id, stage=stage, typed={**form, form["read"]: found.typed}))


def _index(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.works_view(conn, job_id)
    return render_template("guided/index.html", **{"typed": {}, "faults": {}, "view": view, **more})


def _render(job_id: int, work_id: int, *, stage: str | None = None, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.work_view(conn, job_id, work_id)
        more["seen"] = revisions.seen(conn, "guided", work_id)
    chosen = stage or request.args.get("stage") or view.current
    current = next((s for s in view.stages if s.stage.name == chosen and s.may_answer), None) or next(
        s for s in view.stages if s.stage.name == view.current
    )
    return render_template(
        "guided/page.html", **{"typed": {}, "faults": {}, "view": view, "current": current, "asked": stage, "draw": draw, **more}
    )
