"""The verification: what was measured by which definition, series with their curves, soak watches, a good set beside it."""

import sqlite3
from collections.abc import Callable
from functools import partial
from typing import Any
from urllib.parse import quote

from flask import Blueprint, Response, jsonify, make_response, redirect, render_template, request, url_for

from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.core.verification.measures import MEASURES
from calm_needle.errors import FieldsRefused, InstrumentError
from calm_needle.files.svg_picture import draw
from calm_needle.web.acting import act
from calm_needle.web.asking import meters_if_free, need_meters, typed_form, workshop
from calm_needle.work.verification import beside_good, led_by_hand, measuring, recorded, soaking

TYPES = {"csv": "text/csv", "s2p": "text/plain"}

screen = Blueprint("verify", __name__, url_prefix="/jobs/<int:job_id>/verify")


@screen.get("")
def page(job_id: int) -> str:
    return _render(job_id)


@screen.post("/measure/<name>")
def measure(job_id: int, name: str) -> Response:
    """Have the instruments measure. The page's script, which does one band after the other, gets the fault as text."""
    form = typed_form()
    one_of_many = request.headers.get("X-Part") == "measure"
    with workshop().store() as conn:
        try:
            measuring.measure_it(conn, job_id, name, form, need_meters(conn, job_id))
        except (FieldsRefused, InstrumentError) as fault:
            words = " ".join(fault.faults.values()) if isinstance(fault, FieldsRefused) else str(fault)
            if one_of_many:
                return make_response(words, 422, {"Content-Type": "text/plain; charset=utf-8"})
            return make_response(_render(job_id, typed=form, faults={"measure": words}), 422)
    if one_of_many:
        return make_response("", 204)
    return make_response(redirect(url_for("verify.page", job_id=job_id, _anchor=quote(name)), 303))


@screen.post("/write/<name>")
def write(job_id: int, name: str) -> Response:
    return act(
        lambda conn: measuring.write_down(conn, job_id, name, typed_form()),
        then=lambda _: url_for("verify.page", job_id=job_id, _anchor=name),
        again=partial(_render, job_id, form=name),
    )


@screen.post("/recording")
def recording(job_id: int) -> Response:
    """The sensitivity that a recording of the set's output shows."""
    file = request.files.get("recording")
    content, name = (file.read(), file.filename[:80]) if file and file.filename else (b"", "the recording")

    def keep(conn: sqlite3.Connection) -> int:
        if not content:
            raise FieldsRefused({"recording": "Choose the recording first: a WAV of some seconds of the tone."})
        return recorded.from_recording(conn, job_id, typed_form(), content, name=name)

    return act(keep, then=lambda _: url_for("verify.page", job_id=job_id), again=partial(_render, job_id, form="recording"))


@screen.post("/search")
def begin_search(job_id: int) -> Response:
    return act(
        lambda conn: led_by_hand.begin(conn, job_id, typed_form()),
        then=lambda search_id: url_for("verify.search", job_id=job_id, search_id=search_id),
        again=partial(_render, job_id, form="search"),
    )


@screen.get("/search/<int:search_id>")
def search(job_id: int, search_id: int) -> str:
    return _search(job_id, search_id)


@screen.post("/search/<int:search_id>")
def add_try(job_id: int, search_id: int) -> Response:
    ears = workshop().equipment.ears
    return _in_search(job_id, search_id, lambda conn: led_by_hand.add(conn, job_id, search_id, typed_form(), ears))


@screen.get("/search/<int:search_id>/now")
def heard_now(job_id: int, search_id: int) -> Response:
    """What is said to the hand at the attenuator by what is heard just now."""
    ears = workshop().equipment.ears
    with workshop().store() as conn:
        said = led_by_hand.now(conn, job_id, search_id, ears)
    return jsonify({"sentence": said.sentence, "evidence": said.evidence, "tone": said.tone} if said else {})


@screen.post("/search/<int:search_id>/back")
def take_back(job_id: int, search_id: int) -> Response:
    return _in_search(job_id, search_id, lambda conn: led_by_hand.take_back(conn, job_id, search_id))


@screen.post("/search/<int:search_id>/keep")
def keep_search(job_id: int, search_id: int) -> Response:
    return _in_search(job_id, search_id, lambda conn: led_by_hand.keep(conn, job_id, search_id), ended=True)


@screen.post("/search/<int:search_id>/leave")
def leave_search(job_id: int, search_id: int) -> Response:
    return _in_search(job_id, search_id, lambda conn: led_by_hand.leave(conn, job_id, search_id), ended=True)


def _in_search(job_id: int, search_id: int, do: Callable[[sqlite3.Connection], object], *, ended: bool = False) -> Response:
    there = url_for("verify.page", job_id=job_id) if ended else url_for("verify.search", job_id=job_id, search_id=search_id)
    return act(do, then=lambda _: there, again=partial(_search, job_id, search_id))


def _search(job_id: int, search_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        shown = led_by_hand.view(conn, job_id, search_id)
    heard = workshop().equipment.ears.open and shown.can_be_heard
    return render_template("verify/search.html", **{"search": shown, "heard": heard, "typed": {}, "faults": {}, **more})


@screen.get("/<int:measurement_id>/curve.<any(csv, s2p):kind>")
def curve(job_id: int, measurement_id: int, kind: str) -> Response:
    with workshop().store() as conn:
        text = measuring.curve_file(conn, job_id, measurement_id, kind)
    name = f"job-{job_id}-measurement-{measurement_id}.{kind}"
    return Response(text, mimetype=TYPES[kind], headers={"Content-Disposition": f'attachment; filename="{name}"'})


@screen.post("/<int:measurement_id>/strike")
def strike(job_id: int, measurement_id: int) -> Response:
    return act(
        lambda conn: measuring.strike(conn, job_id, measurement_id, typed_form().get("reason", "")),
        then=lambda _: url_for("verify.page", job_id=job_id),
        again=partial(_render, job_id),
    )


@screen.post("/watch")
def begin_watch(job_id: int) -> Response:
    return act(
        lambda conn: soaking.begin(conn, job_id, typed_form()),
        then=lambda _: url_for("verify.page", job_id=job_id, _anchor="watch"),
        again=partial(_render, job_id, form="watch"),
    )


@screen.post("/watch/<int:watch_id>")
def log(job_id: int, watch_id: int) -> Response:
    return act(
        lambda conn: soaking.log(conn, job_id, watch_id, typed_form(), meters_if_free(conn, job_id)),
        then=lambda _: url_for("verify.page", job_id=job_id, _anchor="watch"),
        again=partial(_render, job_id, form="watch"),
    )


@screen.post("/beside")
def begin_beside(job_id: int) -> Response:
    return act(
        lambda conn: beside_good.begin(conn, job_id, typed_form()),
        then=lambda _: url_for("verify.page", job_id=job_id, _anchor="beside"),
        again=partial(_render, job_id, form="beside"),
    )


@screen.get("/beside/<int:trial_id>/order")
def order(job_id: int, trial_id: int) -> str:
    """For whoever works the switch, and not for the listener."""
    with workshop().store() as conn:
        first, second = beside_good.order_of(conn, job_id, trial_id)
    return render_template("verify/order.html", job_id=job_id, first=first, second=second)


@screen.post("/beside/<int:trial_id>")
def score(job_id: int, trial_id: int) -> Response:
    return act(
        lambda conn: beside_good.score(conn, job_id, trial_id, typed_form()),
        then=lambda _: url_for("verify.page", job_id=job_id, _anchor="beside"),
        again=partial(_render, job_id, form="beside"),
    )


def _render(job_id: int, **more: Any) -> str:
    with workshop().store() as conn:
        shown = {
            "view": measuring.view(conn, job_id),
            "searches": led_by_hand.open_of(conn, job_id),
            "watches": soaking.views(conn, job_id),
            "beside": beside_good.view(conn, job_id),
        }
    tables = {"measures": MEASURES, "definitions": DEFINITIONS, "watch_kinds": soaking.KINDS, "scores": beside_good.SCORES}
    return render_template("verify/page.html", **{"form": "", "typed": {}, "faults": {}, "draw": draw, **tables, **shown, **more})
