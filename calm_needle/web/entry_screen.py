"""The two pages of entries, intake and notes, are one screen with another list of kinds."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any

from flask import Blueprint, Response, render_template, url_for

from calm_needle.core.soundness.entry_kinds import Page
from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.jobs import entries as work


def entry_screen(name: Page, beside: Callable[[sqlite3.Connection, int], dict[str, Any]] | None = None) -> Blueprint:
    """Return the screen that shows the kinds of one page, adds to them and ends what is open. beside: what else its page shows of a job."""
    screen = Blueprint(name, __name__, url_prefix=f"/jobs/<int:job_id>/{name}")

    def render(job_id: int, **more: Any) -> str:
        with workshop().store() as conn:
            view = work.view(conn, job_id, name)
            more |= beside(conn, job_id) if beside else {}
        return render_template(f"{name}/page.html", **{"typed": {}, "faults": {}, "view": view, "draw": draw, "told": {}, **more})

    def do(job_id: int, entry: Callable[[sqlite3.Connection], None]) -> Response:
        return act(entry, then=lambda _: url_for(f"{name}.page", job_id=job_id), again=partial(render, job_id))

    @screen.get("")
    def page(job_id: int) -> str:
        return render(job_id)

    @screen.post("")
    def add(job_id: int) -> Response:
        return do(job_id, lambda conn: work.add(conn, job_id, typed_form()))

    @screen.post("/<int:entry_id>/end")
    def end(job_id: int, entry_id: int) -> Response:
        return do(job_id, lambda conn: work.end(conn, job_id, entry_id, typed_form()))

    @screen.post("/<int:entry_id>/again")
    def open_again(job_id: int, entry_id: int) -> Response:
        return do(job_id, lambda conn: work.open_again(conn, job_id, entry_id))

    return screen
