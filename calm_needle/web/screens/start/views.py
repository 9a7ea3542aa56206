"""Safe start: the ladder of limited power, what the meters show, and the button for smoke."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any, Literal

from flask import Blueprint, Response, render_template, request, url_for

from calm_needle.core.dossier.amend import SOURCES
from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import meters_if_free, meters_of, need_meters, own_address, typed_form, workshop
from calm_needle.work.jobs import own_dossier, revisions
from calm_needle.work.soundness import due
from calm_needle.work.soundness import safe_start as work
from calm_needle.work.soundness.power import power_of

screen = Blueprint("start", __name__, url_prefix="/jobs/<int:job_id>/start")
A_MINUTE_S = 60.0
POWER: dict[str, Literal["on", "off", "still on"]] = {"on": "on", "off": "off"}


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/climb")
def climb(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.climb(conn, job_id, meters_of(conn, job_id), form=typed_form()))


@screen.post("/measure")
def measure(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.measure(conn, job_id, need_meters(conn, job_id), electrodes=request.form.get("all") == "yes"))


@screen.post("/pass")
def let_pass(job_id: int) -> Response:
    minutes = 5.0 if request.form.get("minutes") == "5" else 1.0
    return _do(job_id, lambda conn: work.let_pass(need_meters(conn, job_id), minutes * A_MINUTE_S))


@screen.post("/off")
def switch_off(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.switch_off(conn, job_id, meters_if_free(conn, job_id)))


@screen.post("/power")
def power(job_id: int) -> Response:
    """Whether it is on, as somebody says it from any page of the job, and back to that page."""
    back = own_address(request.form.get("back", ""))
    return act(
        lambda _: workshop().power(job_id, POWER.get(request.form.get("to", ""), "still on")),
        then=lambda _: back,
        again=partial(_render, job_id),
        of_all="power",
    )


@screen.post("/read")
def read(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.read(conn, job_id, typed_form()))


@screen.post("/expected")
def expected(job_id: int) -> Response:
    return _do(job_id, lambda conn: own_dossier.expect(conn, job_id, typed_form()))


@screen.post("/point")
def point(job_id: int) -> Response:
    return _do(job_id, lambda conn: own_dossier.add_point(conn, job_id, typed_form()))


@screen.post("/smoke")
def smoke(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.smoke(conn, job_id, request.form.get("words", ""), meters_if_free(conn, job_id)))


@screen.post("/cause")
def cause(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.found_cause(conn, job_id, request.form.get("cause", "")))


@screen.post("/strike")
def strike(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.strike(conn, job_id, typed_form(), meters_of(conn, job_id)))


@screen.post("/finish")
def finish(job_id: int) -> Response:
    return _do(job_id, lambda conn: work.finish(conn, job_id), then="job.page")


def _do(job_id: int, do: Callable[[sqlite3.Connection], None], *, then: str = "start.page") -> Response:
    def checked(conn: sqlite3.Connection) -> None:
        if request.endpoint not in ("start.smoke", "start.let_pass"):  # smoke is never refused
            revisions.check(conn, "start", job_id, typed_form())
        do(conn)

    return act(checked, then=lambda _: url_for(then, job_id=job_id), again=partial(_render, job_id))


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        view = work.view(conn, job_id)
        more["seen"] = revisions.seen(conn, "start", job_id)
        more["look_up"] = own_dossier.points_to_look_up(view.model)
        more["power"] = power_of(conn, job_id)
        more["looks"] = [look for look in due.looks(conn, view.job) if look.while_on]
    chart = draw(view.picture) if view.picture else ""
    more["sources"] = SOURCES
    more["practice"] = view.job.bench == "instruments" and workshop().uses_stand_ins()
    return render_template("start/page.html", **{"typed": {}, "faults": {}, "view": view, "chart": chart, **more})
