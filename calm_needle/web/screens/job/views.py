"""A job: its set, its phases, its runs."""

from flask import Blueprint, Response, make_response, redirect, render_template, url_for

from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import reckoning
from calm_needle.work import shelf as work

screen = Blueprint("job", __name__, url_prefix="/jobs")


@screen.get("/<int:job_id>")
def page(job_id: int) -> str:
    with workshop().store() as conn:
        job = work.job_of(conn, job_id)
        phases = work.phases_of(conn, job)
        model = work.model_of_dossier(conn, job.dossier_id)
        reckoned = reckoning.kept_in(conn, job_id)
        remarks = next(s.remarks for s in work.overview(conn)["sets"] if s.id == job.set_id)
    following = next((p for p in phases if p.state in ("running", "open")), None)
    return render_template("job/page.html", job=job, phases=phases, model=model, remarks=remarks, following=following, reckoned=reckoned)


@screen.post("/<int:job_id>/runs")
def begin_run(job_id: int) -> Response:
    with workshop().store() as conn:
        run_id = work.begin_run(conn, job_id, typed_form().get("phase", ""))
    return make_response(redirect(url_for("bench.page", run_id=run_id), 303))


@screen.post("/<int:job_id>/phases")
def mark_phase(job_id: int) -> Response:
    with workshop().store() as conn:
        work.mark_phase(conn, job_id, typed_form())
    return make_response(redirect(url_for("job.page", job_id=job_id), 303))
