"""The bench page: one step, its needle, its advice; and the stream that keeps it live."""

import json
import threading
from collections.abc import Callable, Iterator
from typing import Any

from flask import Blueprint, Response, jsonify, make_response, redirect, render_template, request, session, url_for

from calm_needle.clock import SYSTEM
from calm_needle.core.quantities import parse_reading, parse_si
from calm_needle.core.soundness.cautions import BY_ID
from calm_needle.errors import FieldsRefused, NotUnderstood
from calm_needle.files.svg_picture import draw
from calm_needle.web.asking import typed_form, wants_json, whole, workshop
from calm_needle.work.bench.desk import Desk
from calm_needle.work.bench.run_book import NotSureEnough

MOST_STREAMS = 12  # below the threads of any server that these pages are served by
STREAMS = threading.BoundedSemaphore(MOST_STREAMS)
AGAIN_MS, LATER_MS = 1000, 4000
#: From one picture of the needle to the next. Instruments that read more often than that are shown by their newest reading.
SHOWN_EVERY_S = 0.04

VOID_S = (5.0, 15.0, 60.0)
screen = Blueprint("bench", __name__, url_prefix="/bench")


@screen.get("/<int:run_id>")
def page(run_id: int) -> str:
    return _render(workshop().looked_at(run_id))


@screen.get("/<int:run_id>/stream")
def stream(run_id: int) -> Response:
    desk = workshop().looked_at(run_id)
    held = STREAMS.acquire(blocking=False)

    def tell() -> Iterator[str]:
        # A stream holds a thread. Beyond what can be spared one is told how it stands now, and asks again a little later.
        yield f"retry: {AGAIN_MS if held else LATER_MS}\n\n"
        number = -1
        while not desk.closed:
            began_s = SYSTEM.monotonic()
            number, snapshot = desk.wait_for_news(number) if held else (number, desk.snapshot())
            # The comment also finds out that nobody listens any more, and frees this thread.
            yield ": still here\n\n" if snapshot is None else f"id: {number}\ndata: {json.dumps(snapshot)}\n\n"
            if not held:
                return
            SYSTEM.wait(SHOWN_EVERY_S - (SYSTEM.monotonic() - began_s))  # a browser's time is the real one

    answer = Response(tell(), mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"})
    if held:
        answer.call_on_close(STREAMS.release)
    return answer


@screen.get("/<int:run_id>/trace")
def trace(run_id: int) -> Response:
    return make_response(jsonify(workshop().looked_at(run_id).trace()))


@screen.post("/<int:run_id>/bench")
def take_bench(run_id: int) -> Response:
    """Have the instruments work for this run: an act of its own, that says from whom it takes them."""
    workshop().take_bench(run_id, over=whole(request.form.get("over")))
    return _go(url_for("bench.page", run_id=run_id))


@screen.post("/<int:run_id>/set")
def set_everything(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.set_everything(here))


@screen.post("/<int:run_id>/decide")
def decide(run_id: int) -> Response:
    option = request.form.get("option", "")
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.choose(option)))


@screen.post("/<int:run_id>/listens")
def listens(run_id: int) -> Response:
    typed = request.form.get("listens", "").strip()
    at_hz = parse_si(typed, unit="Hz") if typed else None
    return _act_if_sure(run_id, lambda desk, here, sure: desk.listens(here, at_hz, sure=sure))


@screen.post("/<int:run_id>/level")
def move_level(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.move_level(here))


@screen.post("/<int:run_id>/take")
def take(run_id: int) -> Response:
    answer = request.form.get("answer") or None
    return _act_if_sure(run_id, lambda desk, here, sure: desk.take(here, sure=sure, answer=answer))


@screen.post("/<int:run_id>/no-peak")
def no_peak(run_id: int) -> Response:
    return _act_if_sure(run_id, lambda desk, here, sure: desk.act(here, lambda book: book.no_peak(sure=sure)))


@screen.post("/<int:run_id>/skip")
def skip(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.skip(request.form.get("reason", ""))))


@screen.post("/<int:run_id>/back")
def back(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.back()))


@screen.post("/<int:run_id>/mark")
def mark(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.mark()))


@screen.post("/<int:run_id>/turning-back")
def turn_back(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.turn_back()))


@screen.post("/<int:run_id>/hands-off")
def hands_off(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.hands_off()))


@screen.post("/<int:run_id>/turns-seen")
def see_turns(run_id: int) -> Response:
    seen = request.form.get("seen") == "yes"
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.see_turns(seen=seen)))


@screen.post("/<int:run_id>/wax")
def clear_wax(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.clear_wax(here))


@screen.post("/<int:run_id>/sweep")
def sweep(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.sweep(here))


@screen.post("/<int:run_id>/again")
def again(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.decide(go_on=True)))


@screen.post("/<int:run_id>/stop")
def stop(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.decide(go_on=False)))


@screen.post("/<int:run_id>/finish")
def finish(run_id: int) -> Response:
    try:
        workshop().desk(run_id).act(request.form.get("here", ""), lambda book: book.finish(typed_form().get("reason", "")))
    except FieldsRefused as fault:
        if wants_json():
            raise
        return make_response(_render(workshop().desk(run_id), finish_fault=fault.faults["reason"]), 422)
    return _go(url_for("record.page", run_id=run_id))


@screen.post("/<int:run_id>/round")
def round_again(run_id: int) -> Response:
    """Once more through the rounds of a run that is through and not done."""
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.round_again()))


@screen.post("/<int:run_id>/note")
def note(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.note(request.form.get("words", ""))))


@screen.post("/<int:run_id>/strike")
def strike(run_id: int) -> Response:
    form = typed_form()
    reading = whole(form.get("reading"))
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.strike(reading, form.get("reason", ""))))


@screen.post("/<int:run_id>/void")
def void(run_id: int) -> Response:
    """Strike what was read in the last seconds; how many is one of a few."""
    form = typed_form()
    seconds = next((s for s in VOID_S if form.get("seconds") == f"{s:g}"), VOID_S[0])
    return _act(run_id, lambda desk, here: desk.act(here, lambda book: book.void_last(seconds, form.get("reason", ""))))


@screen.post("/<int:run_id>/readings")
def type_reading(run_id: int) -> Response:
    typed = request.form.get("reading", "")
    try:
        quantity = parse_reading(typed, units=workshop().desk(run_id).units)
        at = request.form.get("at_hz", "").strip()
        at_hz = parse_si(at, unit="Hz") if at else None
        sure = request.form.get("sure") == "yes"
        return _act(run_id, lambda desk, here: desk.type_reading(here, quantity, at_hz=at_hz, sure=sure))
    except NotSureEnough as doubt:
        if wants_json():
            raise
        # Sent once more as it stands, it is meant.
        return make_response(_render(workshop().desk(run_id), typed_reading=typed, reading_fault=str(doubt), reading_sure=True), 409)
    except (NotUnderstood, FieldsRefused) as fault:
        if wants_json():
            raise
        return make_response(_render(workshop().desk(run_id), typed_reading=typed, reading_fault=str(fault)), 422)


@screen.post("/<int:run_id>/turn")
def turn(run_id: int) -> Response:
    position = workshop().desk(run_id).turn(parse_si(request.form.get("turns", ""), unit="turn"))
    return make_response(jsonify(at_stop=position.at_stop, travel=position.travel))


@screen.post("/<int:run_id>/hand")
def choose(run_id: int) -> Response:
    return _act(run_id, lambda desk, here: desk.choose(here, request.form.get("adjuster", "")))


@screen.post("/<int:run_id>/cautions")
def acknowledge(run_id: int) -> Response:
    session["cautions"] = sorted({*session.get("cautions", []), *request.form.getlist("caution")} & BY_ID.keys())
    return _go(url_for("bench.page", run_id=run_id))


def _act(run_id: int, do: Callable[[Desk, str], Any]) -> Response:
    desk = workshop().looked_at(run_id)
    do(desk, request.form.get("here", ""))
    return _go(url_for("bench.page", run_id=run_id))


def _go(target: str) -> Response:
    """Done: a script is told where the run is now, a form is sent there."""
    return make_response(jsonify(go=target), 200) if wants_json() else make_response(redirect(target, 303))


def _act_if_sure(run_id: int, act: Callable[[Desk, str, bool], Any]) -> Response:
    """Act, or show the page again with what is to be asked first, which the same act answers."""
    sure = request.form.get("sure") == "yes"
    try:
        return _act(run_id, lambda desk, here: act(desk, here, sure))
    except NotSureEnough as fault:
        if wants_json():
            raise
        return make_response(_render(workshop().desk(run_id), ask=str(fault), ask_at=request.path), 409)


def _render(desk: Desk, **more: Any) -> str:
    view = desk.view()
    seen = session.get("cautions", [])
    fresh = [c for c in view["cautions"] if c.id not in seen]
    picture = view["choices"] and view["choices"]["picture"]
    view["dial_drawn"] = draw(picture) if picture else ""
    defaults = {"typed_reading": "", "reading_fault": "", "reading_sure": False, "ask": "", "ask_at": "", "finish_fault": ""}
    return render_template("bench/page.html", **{**defaults, **view, "fresh_cautions": fresh, **more})
