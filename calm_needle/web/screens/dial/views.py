"""The dial of a set: each band's frequencies, its marks as they were read, and where its oscillator runs."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import need_meters, typed_form, workshop
from calm_needle.work.jobs import carriers, gang, images, oscillator, own_dossier
from calm_needle.work.jobs import dial as work

screen = Blueprint("dial", __name__, url_prefix="/jobs/<int:job_id>/dial")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/oscillator")
def sweep(job_id: int) -> Response:
    return _do(
        job_id, "oscillator", lambda conn: oscillator.sweep(conn, job_id, typed_form(), need_meters(conn, job_id)), of_all="coverage"
    )


@screen.post("/typed")
def type_in(job_id: int) -> Response:
    return _do(job_id, "oscillator", lambda conn: oscillator.type_in(conn, job_id, typed_form()), of_all="lines")


@screen.post("/images")
def measure_images(job_id: int) -> Response:
    return _do(job_id, "images", lambda conn: images.measure(conn, job_id, need_meters(conn, job_id)), of_all="image")


@screen.post("/images/typed")
def type_image(job_id: int) -> Response:
    return _do(job_id, "images", lambda conn: images.type_in(conn, job_id, typed_form()), of_all="image", form="image")


@screen.post("/gang")
def gang_sections(job_id: int) -> Response:
    return _do(job_id, "gang", lambda conn: gang.keep(conn, job_id, typed_form()), of_all="sections", form="gang")


@screen.post("/bands/<band_id>/padder")
def fit_padder_trimmer(job_id: int, band_id: str) -> Response:
    def fit(conn: sqlite3.Connection) -> None:
        with workshop().mending(conn, job_id):
            own_dossier.fit_padder_trimmer(conn, job_id, band_id, typed_form())

    part = f"band-{band_id}"
    return _do(job_id, part, fit, of_all="seized", form=part)


@screen.post("/bands/<band_id>/marks")
def add_mark(job_id: int, band_id: str) -> Response:
    part = f"band-{band_id}"
    form = {**typed_form(), "band": band_id}
    return _do(job_id, part, lambda conn: own_dossier.add_mark(conn, job_id, form), of_all="mark", form=f"mark-{band_id}")


@screen.post("/carriers")
def add_carrier(job_id: int) -> Response:
    return _do(job_id, "carriers", lambda conn: carriers.add(conn, typed_form()), of_all="name", form="carrier")


@screen.post("/carriers/<int:carrier_id>/withdraw")
def withdraw_carrier(job_id: int, carrier_id: int) -> Response:
    return _do(job_id, "carriers", lambda conn: carriers.withdraw(conn, carrier_id), of_all="name", form="carrier")


def _do(job_id: int, part: str, do: Callable[[sqlite3.Connection], None], *, of_all: str, form: str = "") -> Response:
    """Do what a form of a part of the page asks, and go back to that part."""
    then, again = url_for("dial.page", job_id=job_id, _anchor=part), partial(_render, job_id, form=form)
    return act(do, then=lambda _: then, again=again, of_all=of_all)


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
    drawn = {
        b.id: {
            name: draw(picture) if picture else ""
            for name, picture in (("plan", b.plan), ("scale", b.scale), ("curve", b.curve), ("loss", b.loss))
        }
        for b in view.bands
    }
    sections = draw(view.gang.curves) if view.gang.curves else ""
    levels = [(band, picture.title, draw(picture)) for band, picture in view.oscillator.levels]
    known = {"view": view, "drawn": drawn, "levels": levels, "sections": sections, "asks": {"carrier": carriers.ASKS, "image": images.ASKS}}
    return render_template("dial/page.html", **{"typed": {}, "faults": {}, "form": "", **known, **more})
