"""The shelf: models, sets, jobs."""

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.errors import FieldsRefused, FileRefused
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import shelf as work

screen = Blueprint("shelf", __name__)


@screen.get("/")
def page() -> str:
    return _render()


@screen.post("/sets")
def add_set() -> Response:
    with workshop().store() as conn:
        try:
            work.add_set(conn, typed_form())
        except FieldsRefused as fault:
            return make_response(_render(form="set", typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("shelf.page"), 303))


@screen.post("/jobs")
def open_job() -> Response:
    with workshop().store() as conn:
        try:
            job_id = work.open_job(conn, typed_form())
        except FieldsRefused as fault:
            return make_response(_render(form="job", typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("job.page", job_id=job_id), 303))


@screen.post("/models/sketch")
def sketch_model() -> Response:
    with workshop().store() as conn:
        try:
            model = work.sketch_model(conn, typed_form())
        except FieldsRefused as fault:
            return make_response(_render(form="sketch", typed=typed_form(), faults=fault.faults), 422)
    return make_response(redirect(url_for("dossier.page", key=model.key), 303))


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
