"""Recordings of a job: played, laid side by side and judged again, brought from a file, handed out, deleted."""

from functools import partial

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, whole, workshop
from calm_needle.work.jobs import recordings as work

screen = Blueprint("recordings", __name__, url_prefix="/jobs/<int:job_id>/recordings")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def bring(job_id: int) -> Response:
    """Keep a WAV file with the job."""
    file = request.files.get("recording")
    content, name = (file.read(), file.filename or "") if file else (b"", "")
    return act(
        lambda conn: work.bring(conn, job_id, typed_form(), content, name=name),
        then=lambda _: url_for("recordings.page", job_id=job_id),
        again=partial(_render, job_id),
    )


@screen.get("/<int:recording_id>.wav")
def sound(job_id: int, recording_id: int) -> Response:
    """The recording as WAV. Parts of it are handed out as a player asks for them."""
    with workshop().store() as conn:
        content = work.wav_of(conn, job_id, recording_id)
    answer = make_response(content)
    answer.mimetype = "audio/wav"
    answer.headers["Content-Disposition"] = f'inline; filename="job-{job_id}-{recording_id}.wav"'
    answer.accept_ranges = "bytes"
    answer.make_conditional(request, accept_ranges=True, complete_length=len(content))
    return answer


@screen.post("/<int:recording_id>/delete")
def delete(job_id: int, recording_id: int) -> Response:
    with workshop().store() as conn:
        work.delete(conn, job_id, recording_id)
    return make_response(redirect(url_for("recordings.page", job_id=job_id), 303))


def _render(job_id: int, *, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> str:
    asked = request.args
    one, two = (whole(asked.get(n)) if asked.get(n) else None for n in ("one", "two"))
    with workshop().store() as conn:
        view = work.view(conn, job_id, one=one, two=two)
    return render_template("recordings/page.html", view=view, longest=int(work.LONGEST_S), typed=typed or {}, faults=faults or {})
