"""The donor stock: parts kept for other sets."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import donor_stock

screen = Blueprint("stock", __name__, url_prefix="/stock")


@screen.get("")
def page() -> str:
    return _render()


@screen.post("")
def add() -> Response:
    return act(lambda conn: donor_stock.add(conn, typed_form()), then=_there, again=partial(_render, form="add"))


@screen.post("/<int:donor_id>/test")
def test(donor_id: int) -> Response:
    return act(lambda conn: donor_stock.tested(conn, donor_id, typed_form()), then=_there, again=_render)


@screen.post("/<int:donor_id>/take")
def take(donor_id: int) -> Response:
    """Take one out; from a job's repairs one goes back there."""
    back = typed_form().get("job", "").strip()
    return act(
        lambda conn: donor_stock.take(conn, donor_id, typed_form()),
        then=lambda _: url_for("repairs.page", job_id=int(back), part=typed_form().get("part")) if typed_form().get("part") else _there(),
        again=_render,
    )


@screen.post("/<int:donor_id>/back")
def put_back(donor_id: int) -> Response:
    return act(lambda conn: donor_stock.put_back(conn, donor_id), then=_there, again=_render)


def _there(_: object = None) -> str:
    return url_for("stock.page")


def _render(**more: Any) -> str:
    with workshop().store() as conn:
        lines = donor_stock.lines(conn)
    return render_template("stock/page.html", **{"lines": lines, "asks": donor_stock.ASKS, "form": "", "typed": {}, "faults": {}, **more})
