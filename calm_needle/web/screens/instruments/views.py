"""The instruments: which, where, how they are; the stand-ins plugged in and unplugged."""

from flask import Blueprint, Response, jsonify, make_response, redirect, render_template, request, url_for

from calm_needle.core.description import READS, write_description
from calm_needle.errors import FieldsRefused, InstrumentError
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, workshop
from calm_needle.work.instruments import describing
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


@screen.get("/describe")
def describe() -> str:
    """Describe an instrument of a kind; one that is in use, with what it is described by."""
    kind = request.args.get("kind", "")
    kind = kind if kind in READS else next(iter(READS))
    row = next((r for r in workshop().instruments() if r.kind == kind and r.description), None)
    typed = (
        describing.bring((row.description or "").encode(), name=row.identity) | {"resource": row.resource}
        if row
        else describing.usual(kind)
    )
    return _describe(typed=typed)


@screen.post("/describe")
def keep_description() -> Response:
    shop = workshop()
    return act(
        lambda _: describing.keep(shop, typed_form()),
        then=lambda _: url_for("instruments.page", _anchor="own"),
        again=_describe,
    )


@screen.post("/describe/file")
def bring_description() -> Response:
    """Fill the fields from a description that somebody gave."""
    file = request.files.get("file")
    content, name = (file.read(), (file.filename or "file")[:80]) if file else (b"", "file")
    try:
        return make_response(_describe(typed=describing.bring(content, name=name)))
    except FieldsRefused as refused:
        return make_response(_describe(typed=describing.usual(request.form.get("kind", "")), faults=dict(refused.faults)), 422)


@screen.post("/describe/take")
def take_description() -> Response:
    """The description that stands in the fields, as a file."""
    try:
        description = describing.from_fields(typed_form())
    except FieldsRefused as refused:
        return make_response(_describe(typed=typed_form(), faults=dict(refused.faults)), 422)
    name = "".join(c if c.isalnum() and c.isascii() else "-" for c in description.name.lower())
    headers = {"Content-Disposition": f'attachment; filename="{name}.instrument.json"'}
    return Response(write_description(description), mimetype="application/json", headers=headers)


@screen.post("/describe/ask")
def ask_described() -> Response:
    """What the instrument answers just now, as it is."""
    return jsonify(answer=describing.ask_once(typed_form(), request.form.get("quantity", "")))


@screen.post("/describe/find")
def find_described() -> Response:
    """What the fields find in an answer."""
    return jsonify(describing.find(typed_form(), request.form.get("quantity", ""), request.form.get("answer", ""))._asdict())


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


def _describe(*, typed: dict[str, str], faults: dict[str, str] | None = None) -> str:
    kind = typed.get("kind", "")
    kind = kind if kind in READS else next(iter(READS))
    return render_template(
        "instruments/describe.html",
        kind=kind,
        names={k: KINDS[k].name for k in READS},
        parts=describing.parts(kind),
        tried=describing.tried_of(typed),
        choices=describing.CHOICES,
        typed=typed,
        faults=faults or {},
    )


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
