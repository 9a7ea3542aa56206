"""The instruments: which, where, how they are; the stand-ins plugged in and unplugged."""

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.errors import InstrumentError
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.instruments.equipment import KINDS, LISTED, STATE_WORDS
from calm_needle.work.verification import instruments_register as register

screen = Blueprint("instruments", __name__, url_prefix="/instruments")


@screen.get("")
def page() -> str:
    return _render()


@screen.post("")
def add() -> Response:
    resource = request.form.get("resource", "").strip()
    if not resource or len(resource) > 120:
        return make_response(_render(typed=resource, fault="Write the VISA resource name, such as TCPIP::192.0.2.7::5025::SOCKET."), 422)
    try:
        workshop().add_instrument(resource, said_to_be=request.form.get("kind", ""))
    except InstrumentError as fault:
        return make_response(_render(typed=resource, fault=str(fault)), 422)
    return _back()


@screen.post("/register/<instrument>/<quantity>")
def check(instrument: str, quantity: str) -> Response:
    """What an instrument was checked against, when, and how sure it is since."""
    return act(
        lambda conn: register.add(conn, instrument, quantity, typed_form()),
        then=lambda _: url_for("instruments.page", _anchor="register"),
        again=lambda **more: _render(checked=f"{instrument}-{quantity}", **more),
    )


@screen.post("/remove")
def remove() -> Response:
    workshop().remove_instrument(request.form.get("kind", ""))
    return _back()


@screen.post("/stand-ins")
def stand_ins() -> Response:
    shop = workshop()
    match request.form.get("do"):
        case "unplug":
            shop.stand_ins.unplug()
        case "plug-in":
            shop.stand_ins.plug_in()
        case "use":
            shop.use_stand_ins(True)
        case "leave":
            shop.use_stand_ins(False)
    return _back()


def _back() -> Response:
    return make_response(redirect(url_for("instruments.page"), 303))


def _render(*, typed: str | dict[str, str] = "", fault: str = "", checked: str = "", faults: dict[str, str] | None = None) -> str:
    shop = workshop()
    with shop.store() as conn:
        lines = register.lines(conn)
    states = {s.kind: s for s in shop.live.states}
    return render_template(
        "instruments/page.html",
        own=shop.instruments(),
        states=states,
        names={k: KINDS[k].name for k in LISTED},
        words=STATE_WORDS,
        uses_stand_ins=shop.uses_stand_ins(),
        plugged_in=shop.stand_ins.plugged_in,
        on_bench=shop.stand_ins.set_id,
        resources=shop.stand_ins.resources(),
        typed=typed if isinstance(typed, str) else "",
        fault=fault,
        register=lines,
        asks={line.quantity: register.asks(line.quantity) for line in lines},
        checked=checked,
        check_typed=typed if isinstance(typed, dict) else {},
        check_faults=faults or {},
    )
