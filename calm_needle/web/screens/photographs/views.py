"""Photographs of a job: attached from a file or a camera, pinned, handed out as pictures and nothing else."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, request, send_file, url_for

from calm_needle.errors import FieldsRefused, FileRefused, NotFound
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.jobs import photographs as work

screen = Blueprint("photographs", __name__, url_prefix="/jobs/<int:job_id>/photographs")
A_YEAR_S = 31_536_000


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def attach(job_id: int) -> Response:
    """Take in every picture that was chosen; those that are refused are named, the others are kept."""
    files = [f for f in request.files.getlist("picture") if f.filename]
    if not files:
        return make_response(_render(job_id, faults=["Choose a picture first: JPEG, PNG or WebP."]), 422)
    faults = []
    with workshop().store() as conn:
        for file in files:
            try:
                work.attach(
                    conn,
                    workshop().photographs,
                    job_id,
                    content=file.read(),
                    name=file.filename or "",
                    caption=request.form.get("caption", ""),
                )
            except FileRefused as fault:
                faults.append(f"{fault.name}: {fault.faults[0].sentence}. Nothing of it was kept.")
            except FieldsRefused as fault:
                faults.append(fault.faults["picture"])
    if faults:
        return make_response(_render(job_id, faults=faults), 422)
    return make_response(redirect(url_for("photographs.page", job_id=job_id), 303))


@screen.get("/<int:photograph_id>")
def one(job_id: int, photograph_id: int) -> str:
    return _one(job_id, photograph_id)


@screen.post("/<int:photograph_id>/pins")
def pin(job_id: int, photograph_id: int) -> Response:
    return act(
        lambda conn: work.pin(conn, job_id, photograph_id, typed_form()),
        then=lambda _: url_for("photographs.one", job_id=job_id, photograph_id=photograph_id),
        again=partial(_one, job_id, photograph_id),
    )


@screen.post("/<int:photograph_id>/chosen")
def choose(job_id: int, photograph_id: int) -> Response:
    return act(
        lambda conn: work.choose(conn, job_id, photograph_id, typed_form()),
        then=lambda _: url_for("photographs.one", job_id=job_id, photograph_id=photograph_id),
        again=partial(_one, job_id, photograph_id),
    )


@screen.post("/<int:photograph_id>/pins/<int:pin_id>/out")
def take_out(job_id: int, photograph_id: int, pin_id: int) -> Response:
    with workshop().store() as conn:
        work.take_out(conn, job_id, photograph_id, pin_id)
    return make_response(redirect(url_for("photographs.one", job_id=job_id, photograph_id=photograph_id), 303))


@screen.get("/<int:photograph_id>.jpg")
def picture(job_id: int, photograph_id: int) -> Response:
    """The picture itself: always as JPEG, never as a page, whatever the browser would make of it."""
    with workshop().store() as conn:
        path = work.file_of(conn, workshop().photographs, job_id, photograph_id, small=request.args.get("small") == "yes")
    answer = make_response(send_file(path, mimetype="image/jpeg", download_name=f"job-{job_id}-{photograph_id}.jpg"))
    answer.headers["Content-Security-Policy"] = "default-src 'none'; sandbox"
    answer.headers["Cache-Control"] = f"private, max-age={A_YEAR_S}, immutable"
    return answer


def _render(job_id: int, *, faults: list[str] | None = None) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    return render_template("photographs/page.html", view=view, faults=faults or [])


def _one(job_id: int, photograph_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    found = next(((p, pins) for p, pins in view.photographs if p.id == photograph_id), None)
    if found is None:
        raise NotFound("photograph of this job", photograph_id)
    return render_template(
        "photographs/one.html", **{"typed": {}, "faults": {}, "view": view, "photograph": found[0], "pins": found[1], **more}
    )
