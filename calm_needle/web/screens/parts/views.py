"""The sweep of the parts: one value after the other, each judged as it is typed."""

from functools import partial
from typing import Any
from urllib.parse import quote

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.errors import BenchInUse, FieldsRefused, InstrumentError, JobMovedOn
from calm_needle.web.acting import act
from calm_needle.web.asking import need_meters, typed_form, workshop
from calm_needle.work.jobs import entries, own_dossier
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import parts_sweep as work

screen = Blueprint("parts", __name__, url_prefix="/jobs/<int:job_id>/parts")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("")
def enter(job_id: int) -> Response:
    """Keep one value. The page's script gets what changed: the line and the tally; a form gets the page again."""
    form = typed_form()
    part = request.headers.get("X-Part") == "line"
    with workshop().store() as conn:
        meters = (lambda: need_meters(conn, job_id)) if job_of(conn, job_id).bench == "instruments" else None
        try:
            line = work.enter(conn, job_id, form, meters)
        except (FieldsRefused, JobMovedOn, BenchInUse, InstrumentError) as fault:
            words = fault.faults["value"] if isinstance(fault, FieldsRefused) else str(fault)
            meant = fault.meant.get("value", "") if isinstance(fault, FieldsRefused) else ""
            if part:
                offered = {"X-Meant": quote(meant)} if meant else {}
                return make_response(words, 422, {"Content-Type": "text/plain; charset=utf-8", **offered})
            typed = {**form, **({"meant-value": meant, "sure-value": form.get("value", "")} if meant else {})}
            return make_response(_render(job_id, typed=typed, faults={"value": words}), 422)
        view = work.view(conn, job_id)
    if part:
        return make_response(render_template("parts/_line.html", line=line, view=view, typed={}, faults={}, with_tally=True))
    return make_response(redirect(url_for("parts.page", job_id=job_id, _anchor=f"part-{line.part.id}"), 303))


@screen.post("/add")
def add(job_id: int) -> Response:
    """A part that no paper lists: kept, and the next one in hand."""
    return act(
        lambda conn: own_dossier.add_part(conn, job_id, typed_form()),
        then=lambda _: url_for("parts.page", job_id=job_id, _anchor="add-part"),
        again=partial(_render, job_id),
        of_all="part",
    )


@screen.post("/leads")
def leads(job_id: int) -> Response:
    """What the meter's leads read by themselves."""
    return act(
        lambda conn: entries.add(conn, job_id, {**typed_form(), "kind": work.LEADS}),
        then=lambda _: url_for("parts.page", job_id=job_id, _anchor="leads-title"),
        again=partial(_render, job_id),
    )


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    return render_template("parts/page.html", **{"typed": {}, "faults": {}, "with_tally": False, "view": view, **more})
