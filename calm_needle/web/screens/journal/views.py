"""The journal of a job: every fact in order, and the open list."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import meters_of, typed_form, workshop
from calm_needle.work.jobs import journal, open_list

screen = Blueprint("journal", __name__, url_prefix="/jobs/<int:job_id>/journal")
FILTERS = ("kind", "subject", "status")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/discard")
def discard(job_id: int) -> Response:
    filtered: dict[str, Any] = {name: typed_form()[name] for name in FILTERS if typed_form().get(name)}
    return act(
        lambda conn: journal.discard(conn, job_id, typed_form(), meters_of(conn, job_id)),
        then=lambda _: url_for("journal.page", job_id=job_id, **filtered),
        again=partial(_render, job_id),
        of_all="reason",
    )


def _render(job_id: int, *, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> str:
    with workshop().store() as conn:
        kept = journal.of_job(conn, job_id)
        rows = open_list.open_list(conn, kept.job)
    asked = {name: request.values.get(name, "")[:60] for name in FILTERS}
    return render_template(
        "journal/page.html", journal=kept, shown=kept.filtered(**asked), rows=rows, asked=asked, typed=typed or {}, faults=faults or {}
    )
