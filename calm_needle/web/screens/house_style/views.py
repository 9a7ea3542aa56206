"""The house style: where good practice differs, what this workshop does."""

from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work import house_style as work

screen = Blueprint("house_style", __name__, url_prefix="/house-style")


@screen.get("")
def page() -> str:
    return _render()


@screen.post("")
def keep() -> Response:
    return act(lambda conn: work.keep(conn, typed_form()), then=lambda _: url_for("house_style.page"), again=_render)


def _render(**more: Any) -> str:
    with workshop().store() as conn:
        questions = work.view(conn)
    return render_template("house_style/page.html", **{"typed": {}, "faults": {}, "questions": questions, **more})
