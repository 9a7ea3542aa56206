"""Histories: the queue, a model over its sets, a set over its jobs."""

from functools import partial

from flask import Blueprint, Response, make_response, render_template, request, url_for

from calm_needle.errors import FieldsRefused
from calm_needle.web.acting import act
from calm_needle.web.asking import workshop
from calm_needle.work.jobs import histories, rehearsed

screen = Blueprint("histories", __name__)


@screen.get("/queue")
def queue() -> Response | str:
    typed = {name: request.args.get(name, "").strip()[:20] for name in ("day", "hours")}
    faults: dict[str, str] = {}
    day, hours = "", 0.0
    try:
        day, hours = histories.asked(typed)
    except FieldsRefused as refused:
        faults = dict(refused.faults)
    with workshop().store() as conn:
        found = histories.queue(conn, day=day, hours=hours)
    page = render_template("histories/page.html", queue=found, hours=hours, typed=typed, faults=faults)
    return make_response(page, 422) if faults else page


@screen.get("/models/<key>/history")
def model(key: str) -> str:
    return _model(key)


@screen.post("/models/<key>/rehearse")
def rehearse(key: str) -> Response:
    """Rehearse a model's phases, for the queue to reckon with."""
    return act(lambda conn: rehearsed.rehearse(conn, key), then=lambda _: url_for("histories.model", key=key), again=partial(_model, key))


def _model(key: str, *, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> str:
    with workshop().store() as conn:
        found = histories.of_model(conn, key)
    return render_template("histories/model.html", history=found, typed=typed or {}, faults=faults or {})


@screen.get("/sets/<int:set_id>/history")
def set_(set_id: int) -> str:
    with workshop().store() as conn:
        found = histories.of_set(conn, set_id)
    return render_template("histories/set.html", jobs=found)
