"""The shelf: models, sets, jobs."""

from functools import partial

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.errors import FileRefused
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.jobs import shelf as work

screen = Blueprint("shelf", __name__)


@screen.get("/")
def page() -> str:
    return _render()


@screen.post("/sets")
def add_set() -> Response:
    return act(lambda conn: work.add_set(conn, typed_form()), then=lambda _: url_for("shelf.page"), again=partial(_render, form="set"))


@screen.post("/jobs")
def open_job() -> Response:
    return act(
        lambda conn: work.open_job(conn, typed_form()),
        then=lambda job_id: url_for("job.page", job_id=job_id),
        again=partial(_render, form="job"),
    )


@screen.post("/models/sketch")
def sketch_model() -> Response:
    return act(
        lambda conn: work.sketch_model(conn, typed_form()),
        then=lambda model: url_for("dossier.page", key=model.key),
        again=partial(_render, form="sketch"),
    )


@screen.post("/models")
def take_in_dossier() -> Response:
    file = request.files.get("dossier")
    if file is None or not file.filename:
        return make_response(_render(form="dossier", faults={"dossier": "Choose the dossier’s JSON file first."}), 422)
    with workshop().store() as conn:
        try:
            model = work.take_in_dossier(conn, file.read(), name=file.filename[:80])
        except FileRefused as fault:
            return make_response(_render(form="dossier", refused=fault), 422)
    return make_response(redirect(url_for("dossier.page", key=model.key), 303))


def _render(**more: object) -> str:
    with workshop().store() as conn:
        found = work.overview(conn, words=request.args.get("q", ""), page=request.args.get("page", 1, type=int))
        return render_template("shelf/page.html", **{**found, "typed": {}, "faults": {}, "form": "", "refused": None, **more})
