"""The store: copies of it, jobs taken in from files, what falls due as a calendar."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, request, send_file, url_for

from calm_needle.errors import FieldsRefused, FileRefused, StoreUnusable
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import backup
from calm_needle.work.jobs import due_days, incoming, job_files
from calm_needle.work.jobs import sheet as sheet_work

screen = Blueprint("store", __name__)


@screen.get("/store")
def page() -> str:
    return _render(came={name: request.args.get(name, type=int) for name in ("sets", "jobs", "readings")})


@screen.post("/store/copies")
def copy() -> Response:
    try:
        backup.make(workshop().folder, clock=workshop().clock)
    except StoreUnusable as fault:
        return make_response(_render(faults={"copy": str(fault)}), 503)
    return make_response(redirect(url_for("store.page", _anchor="copies"), 303))


@screen.post("/store/copies/verify")
def verify() -> Response | str:
    """Look at a copy from end to end."""
    try:
        path = backup.path_of(workshop().folder, request.form.get("copy", ""))
        return _render(verified=(path.name, backup.verify(path)))
    except FieldsRefused as refused:
        return make_response(_render(faults=dict(refused.faults)), 422)
    except FileRefused as fault:
        return make_response(_render(faults={"copy": str(fault)}), 422)


@screen.get("/store/copies/<name>")
def fetch(name: str) -> Response:
    try:
        path = backup.path_of(workshop().folder, name)
    except FieldsRefused:
        return Response("There is no such copy here.", 404, mimetype="text/plain")
    return send_file(path, as_attachment=True, download_name=path.name)


@screen.get("/jobs/<int:job_id>/file")
def job_file(job_id: int) -> Response:
    """A job as its file."""
    with workshop().store() as conn:
        content = job_files.write(conn, workshop().photographs, job_id)
        name = job_files.name_of(conn, job_id)
    return Response(content, content_type="application/json", headers={"Content-Disposition": f'attachment; filename="{name}"'})


@screen.get("/store/job-1.schema.json")
def job_schema() -> Response:
    """What a job's file looks like, for other programs."""
    with workshop().store() as conn:
        text = job_files.schema(conn)
    return Response(
        text, content_type="application/schema+json", headers={"Content-Disposition": 'attachment; filename="job-1.schema.json"'}
    )


@screen.post("/store/jobs")
def bring() -> Response | str:
    """Look at a job's file, and show what taking it in would do."""
    file = request.files.get("job")
    if file is None or not file.filename:
        return make_response(_render(faults={"job": "Choose the job’s file first."}), 422)
    with workshop().store() as conn:
        try:
            content = file.read()
            found = job_files.preview(conn, content, name=file.filename[:80])
        except FileRefused as fault:
            return make_response(_render(refused=fault), 422)
    return _render(preview=found, held=incoming.hold(workshop().folder, content), held_name=file.filename[:80])


@screen.post("/store/jobs/take-in")
def take_in() -> Response:
    form = typed_form()
    return act(
        lambda conn: incoming.take_in(conn, workshop().folder, workshop().photographs, form),
        then=lambda job_id: url_for("job.page", job_id=job_id),
        again=partial(_render),
    )


@screen.post("/store/sheet")
def bring_sheet() -> Response:
    """Hold a table out of a spreadsheet, and show how its columns are matched."""
    file = request.files.get("table")
    if file is None or not file.filename:
        return make_response(_render(faults={"table": "Choose the table first; a spreadsheet saves one as CSV."}), 422)
    name = file.filename[:80]
    try:
        held = sheet_work.bring(workshop().folder, file.read(), name=name)
    except FileRefused as fault:
        return make_response(_render(refused=fault), 422)
    return make_response(redirect(url_for("store.sheet", held=held, name=name, kind=request.form.get("kind", "sets")[:20]), 303))


@screen.get("/store/sheet")
def sheet() -> Response | str:
    """How the columns of a held table are matched, and what taking it in would do."""
    with workshop().store() as conn:
        try:
            found = sheet_work.plan(conn, workshop().folder, request.args.to_dict())
        except FieldsRefused as refused:
            return make_response(_render(faults=dict(refused.faults)), 422)
    return render_template("store/sheet.html", plan=found, kinds=sheet_work.KINDS)


@screen.post("/store/sheet/take-in")
def take_in_sheet() -> Response:
    form = typed_form()
    return act(
        lambda conn: sheet_work.take_in(conn, workshop().folder, form),
        then=lambda made: url_for("store.page", _anchor="sheet", **dict[str, Any](made)),
        again=partial(_render),
    )


@screen.get("/calendar.ics")
def calendar() -> Response:
    with workshop().store() as conn:
        content = due_days.calendar(conn)
    return Response(
        content, content_type="text/calendar; charset=utf-8", headers={"Content-Disposition": 'attachment; filename="calm-needle.ics"'}
    )


def _render(**more: Any) -> str:
    with workshop().store() as conn:
        days = due_days.days(conn)
    shown = {"copies": backup.listed(workshop().folder), "folder": workshop().folder, "kept": backup.KEPT, "days": days}
    empty: dict[str, Any] = {
        "typed": {},
        "faults": {},
        "refused": None,
        "preview": None,
        "held": "",
        "held_name": "",
        "verified": None,
        "came": {},
    }
    return render_template("store/page.html", **{**shown, **empty, **more})
