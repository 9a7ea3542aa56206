"""The journal of a job: every fact in order, and the open list."""

from flask import Blueprint, render_template, request

from calm_needle.web.asking import workshop
from calm_needle.work.jobs import journal, open_list

screen = Blueprint("journal", __name__, url_prefix="/jobs/<int:job_id>/journal")


@screen.get("")
def page(job_id: int) -> str:
    with workshop().store() as conn:
        kept = journal.of_job(conn, job_id)
        rows = open_list.open_list(conn, kept.job)
    asked = {name: request.args.get(name, "")[:60] for name in ("kind", "subject", "status")}
    return render_template("journal/page.html", journal=kept, shown=kept.filtered(**asked), rows=rows, asked=asked)
