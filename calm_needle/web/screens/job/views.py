"""A job: its set, its phases, its runs."""

import sqlite3
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, url_for

from calm_needle.core.soundness.complaints import OUTCOMES
from calm_needle.errors import BenchInUse, InstrumentError
from calm_needle.web.acting import act
from calm_needle.web.asking import json_object, typed_form, workshop
from calm_needle.work import reckoning
from calm_needle.work.jobs import drafts, entries, glance, intake, own_dossier, pick_up, revisions
from calm_needle.work.jobs import shelf as work
from calm_needle.work.soundness import health

screen = Blueprint("job", __name__, url_prefix="/jobs")


@screen.get("/<int:job_id>")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/<int:job_id>/runs")
def begin_run(job_id: int) -> Response:
    with workshop().store() as conn:
        form = typed_form()
        run_id = work.begin_run(conn, job_id, form.get("phase", ""), in_full=form.get("only") != "stale", means=form.get("means", ""))
    with suppress(BenchInUse, InstrumentError):  # the run's page says who has the bench, or what is wrong with it
        workshop().take_bench(run_id)
    return make_response(redirect(url_for("bench.page", run_id=run_id), 303))


@screen.post("/<int:job_id>/phases")
def mark_phase(job_id: int) -> Response:
    def mark(conn: sqlite3.Connection) -> None:
        revisions.check(conn, "phases", job_id, typed_form())
        health.mark_phase(conn, job_id, typed_form())

    return _do(job_id, "phase", mark)


@screen.post("/<int:job_id>/drafts")
def keep_draft(job_id: int) -> Response:
    """Keep what is half typed; sent by the page's script while it is typed."""
    told = json_object()
    with workshop().store() as conn:
        drafts.keep(conn, job_id, form=str(told.get("form", "")), fields=told.get("fields"))
    return Response(status=204)


@screen.post("/<int:job_id>/complaints")
def add_complaint(job_id: int) -> Response:
    return _do(job_id, "complaint", lambda conn: intake.add_complaint(conn, job_id, typed_form()))


@screen.post("/<int:job_id>/complaints/<int:complaint_id>/retest")
def retest(job_id: int, complaint_id: int) -> Response:
    return _do(job_id, f"retest-{complaint_id}", lambda conn: intake.retest(conn, job_id, complaint_id, typed_form()))


@screen.post("/<int:job_id>/waiver")
def waive(job_id: int) -> Response:
    return _do(job_id, "waiver", lambda conn: intake.waive(conn, job_id, typed_form()))


@screen.get("/<int:job_id>/dossier.json")
def dossier(job_id: int) -> Response:
    """The dossier of a job's set as the file that is given to others."""
    with workshop().store() as conn:
        name, text = own_dossier.own_text(conn, job_id)
    return Response(text, mimetype="application/json", headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _do(job_id: int, form: str, do: Callable[[sqlite3.Connection], None]) -> Response:
    """Do something to the job and show it again; what was refused stands at its field, with what was typed."""
    return act(do, then=lambda _: url_for("job.page", job_id=job_id), again=partial(_render, job_id, form=form), of_all=form)


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        job = work.job_of(conn, job_id)
        phases = work.phases_of(conn, job)
        view = {
            "job": job,
            "phases": phases,
            "model": work.model_of_dossier(conn, job.dossier_id),
            "remarks": work.remarks_of(conn, job),
            "reckoned": reckoning.kept_in(conn, job_id),
            "complaints": intake.complaints_of(conn, job_id),
            "gate": intake.gate_of(conn, job_id),
            "open": entries.still_open(conn, job_id),
            "left": pick_up.pick_up(conn, job),
            "seen": revisions.seen(conn, "phases", job_id),
            "own_dossier": own_dossier.has_own(conn, job),
            "following": work.following(conn, job_id, phases),
            "lacks": (lacks := health.lacks(conn, job_id)),
            "through": {phase: words for phase, words in health.THROUGH.items() if not lacks[phase]},
            "glance": glance.glance(conn, job, phases),
        }
    return render_template("job/page.html", **{"form": "", "typed": {}, "faults": {}, "outcomes": OUTCOMES, **view, **more})
