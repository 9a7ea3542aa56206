"""The record of a whole job, its certificates, and the papers that are made from it."""

import json
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.core.chapters import plain
from calm_needle.errors import FileRefused
from calm_needle.files.chapters_csv import write_numbers
from calm_needle.files.pdf.document import PAPERS, Paper, cell_words
from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.record import certificate, job_record, papers

screen = Blueprint("job_record", __name__)


@screen.get("/jobs/<int:job_id>/record")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/jobs/<int:job_id>/certificate")
def issue(job_id: int) -> Response:
    return act(
        lambda conn: certificate.issue(conn, job_id, typed_form(), pictures=workshop().photographs),
        then=lambda _: url_for("job_record.page", job_id=job_id, _anchor="certificate"),
        again=partial(_render, job_id),
    )


@screen.get("/certificates/<int:number>.pdf")
def pdf(number: int) -> Response:
    with workshop().store() as conn:
        content = certificate.pdf_of(conn, number)
    return _pdf(content, f"certificate-{number}.pdf")


@screen.post("/certificates/check")
def check() -> Response | str:
    """Whether a certificate that somebody holds still agrees with the store."""
    file = request.files.get("certificate")
    said = None
    refused = ""
    if file and file.filename:
        try:
            with workshop().store() as conn:
                said = certificate.check(conn, file.read(), name=file.filename[:80])
        except FileRefused as fault:
            refused = str(fault)
    else:
        refused = "Choose the PDF of a certificate first."
    page = render_template("job_record/check.html", said=said, refused=refused)
    return Response(page, 422) if refused else page


@screen.get("/certificates/check")
def ask() -> str:
    return render_template("job_record/check.html", said=None, refused="")


@screen.get("/jobs/<int:job_id>/record.csv")
def numbers(job_id: int) -> Response:
    with workshop().store() as conn:
        record = job_record.record_of(conn, job_id)
    return _file(write_numbers(record.chapters).encode(), f"job-{job_id}-record.csv", "text/csv; charset=utf-8")


@screen.get("/jobs/<int:job_id>/record.json")
def data(job_id: int) -> Response:
    with workshop().store() as conn:
        record = job_record.record_of(conn, job_id)
    text = json.dumps(plain(record.chapters), ensure_ascii=False, indent=1)
    return _file(text.encode(), f"job-{job_id}-record.json", "application/json")


@screen.get("/jobs/<int:job_id>/hand-back")
def hand_back(job_id: int) -> str:
    with workshop().store() as conn:
        chapters = papers.hand_back(conn, job_id)
        record = job_record.record_of(conn, job_id)
    return render_template("job_record/hand_back.html", job=record.job, chapters=chapters, shown=cell_words, draw=draw)


@screen.get("/jobs/<int:job_id>/papers/<name>.pdf")
def paper(job_id: int, name: str) -> Response:
    """One of the papers; its size as asked for, A4 otherwise."""
    size: Paper = "letter" if request.args.get("paper") == "letter" else "A4"
    with workshop().store() as conn:
        match name:
            case "hand-back":
                content = papers.hand_back_pdf(conn, job_id, paper=size)
            case "outstanding":
                content = papers.outstanding_pdf(conn, job_id, paper=size)
            case "bench-sheets":
                content = papers.bench_sheets_pdf(conn, job_id, paper=size)
            case "label":
                content = papers.label_pdf(conn, job_id, address=url_for("job.page", job_id=job_id, _external=True))
            case _:
                return Response("There is no such paper.", 404, mimetype="text/plain")
    return _pdf(content, f"job-{job_id}-{name}.pdf")


def _pdf(content: bytes, name: str) -> Response:
    return _file(content, name, "application/pdf")


def _file(content: bytes, name: str, kind: str) -> Response:
    return Response(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        shown = {
            "record": job_record.record_of(conn, job_id),
            "draft": certificate.draft(conn, job_id),
            "issued": certificate.listed(conn, job_id),
        }
    return render_template(
        "job_record/page.html", **{"typed": {}, "faults": {}, "draw": draw, "shown": cell_words, "sizes": PAPERS, **shown, **more}
    )
