"""The record of a run: before and after, on one page that prints."""

from flask import Blueprint, Response, render_template

from calm_needle.core.procedure.report import Section, section
from calm_needle.files.readings_csv import write_readings, write_report
from calm_needle.files.svg_picture import draw
from calm_needle.web.asking import workshop
from calm_needle.web.screens.record import wording
from calm_needle.work.record import run_record as work
from calm_needle.work.record.dial_record import rocking_picture

screen = Blueprint("record", __name__, url_prefix="/runs")


@screen.get("/<int:run_id>/record")
def page(run_id: int) -> str:
    record = work.record_of(workshop(), run_id)
    return render_template(
        "record/page.html",
        record=record,
        chart=_chart(record),
        rocking_chart=draw(rocked) if (rocked := rocking_picture(section(record.sections, "rocking"))) else "",
        shown=wording.shown,
        gained=wording.gained,
        set_ups=[s for s in record.sections if s.name == "set up"],
        **_sections(record),
    )


@screen.get("/<int:run_id>/figures.csv")
def figures(run_id: int) -> Response:
    text = write_report(work.record_of(workshop(), run_id).sections)
    return Response(text, mimetype="text/csv", headers={"Content-Disposition": f'attachment; filename="run-{run_id}-figures.csv"'})


@screen.get("/<int:run_id>/response.svg")
def chart(run_id: int) -> Response:
    record = work.record_of(workshop(), run_id)
    return Response(_chart(record, standalone=True), mimetype="image/svg+xml")


@screen.get("/<int:run_id>/readings.csv")
def readings(run_id: int) -> Response:
    text = write_readings(work.readings_of_run(workshop(), run_id))
    return Response(text, mimetype="text/csv", headers={"Content-Disposition": f'attachment; filename="run-{run_id}-readings.csv"'})


def _sections(record: work.Record) -> dict[str, Section | None]:
    """The parts of the record that the page sets in places of their own."""
    return {
        "figures": section(record.sections, "before and after"),
        "response": section(record.sections, "response"),
        "dial": section(record.sections, "dial"),
        "rocking": section(record.sections, "rocking"),
    }


def _chart(record: work.Record, *, standalone: bool = False) -> str:
    picture = work.response_picture(record)
    return draw(picture, standalone=standalone) if picture else ""
