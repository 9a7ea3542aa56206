"""What comes in, read strictly, once, for all views; and what views share: the workshop, whether a script or a person asked.

Nothing of a request goes further than here unless it is plain text, a whole number of a sensible size, or an address of our own.
"""

import re
import sqlite3
from typing import Any, cast

from flask import Flask, abort, current_app, request
from werkzeug.routing import IntegerConverter

from calm_needle.errors import FieldsRefused
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.workshop import Workshop

TAKE = "take-"
LARGEST_ID = 2**53  # and no rowid in use comes near it
LARGEST_JSON, DEEPEST = 200_000, 6
OWN_ADDRESS = re.compile(r"/(?:[A-Za-z0-9_.~-][A-Za-z0-9_.~/-]*)?(?:\?[A-Za-z0-9_.~/&=%+:-]*)?(?:#[A-Za-z0-9_-]*)?")


class Id(IntegerConverter):
    """The number of a thing in an address; beyond what the store can hold there is no such thing."""

    def __init__(self, map: Any) -> None:  # noqa: A002  as werkzeug names it
        super().__init__(map, max=LARGEST_ID)


def register(app: Flask) -> None:
    """Have every request looked at before any view sees it."""
    app.url_map.converters["int"] = Id

    @app.before_request
    def only_from_here() -> None:
        """Beside the token: what a browser says of where a form comes from."""
        if request.method in ("GET", "HEAD", "OPTIONS"):
            return
        site, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
        if site not in (None, "same-origin", "none") or (origin is not None and origin != request.host_url.rstrip("/")):
            abort(403)

    @app.before_request
    def only_text() -> None:
        """Text that cannot be kept is refused before anybody tries: NUL, and half a character."""
        given = [*request.args.items(multi=True), *((request.view_args or {}).items())]
        if request.method == "POST" and request.mimetype != "application/json":
            given += request.form.items(multi=True)
        for name, value in given:
            if not is_text(name) or (isinstance(value, str) and not is_text(value)):
                abort(400)


def is_text(value: str) -> bool:
    """Whether it can be kept as text: no NUL, and no half of a character."""
    return "\x00" not in value and (value.isascii() or not any(0xD800 <= ord(c) <= 0xDFFF for c in value))


def whole(text: str | None, *, otherwise: int = 0) -> int:
    """Return the whole number that is written there in plain figures, at most LARGEST_ID; anything else is `otherwise`.

    >>> whole("12"), whole("²"), whole("9" * 5000), whole(None, otherwise=1)
    (12, 0, 0, 1)
    """
    if text is None or not re.fullmatch(r"[0-9]{1,16}", text) or int(text) > LARGEST_ID:
        return otherwise
    return int(text)


def own_address(text: str) -> str:
    """Return an address if it is a path of our own, else the first page: never away from here.

    >>> own_address("/jobs/3?x=1"), own_address("//elsewhere/"), own_address("/\t//elsewhere/")
    ('/jobs/3?x=1', '/', '/')
    """
    return text if len(text) < 500 and OWN_ADDRESS.fullmatch(text) else "/"


def page_address() -> str:
    """Return the address of the page that is answered with: of a form that was refused, the page on which it stands."""
    adapter, path = current_app.url_map.bind(""), request.path
    if request.method == "GET":
        return request.full_path if request.query_string else path
    while path and not adapter.test(path, "GET"):
        path = path.rpartition("/")[0]
    return path or "/"


def json_object() -> dict[str, Any]:
    """Return the JSON object that was sent, with nothing in it but text, numbers and flat lists of them. Raises FieldsRefused."""
    if (request.content_length or 0) > LARGEST_JSON:
        raise FieldsRefused({"json": "That is too long."})
    try:
        told = request.get_json(silent=True)
    except RecursionError:
        told = None
    if not isinstance(told, dict) or not _is_plain(told, DEEPEST):
        raise FieldsRefused({"json": "That is not what was asked for."})
    return told


def _is_plain(value: object, deep: int) -> bool:
    if isinstance(value, str):
        return is_text(value)
    if isinstance(value, dict):
        return deep > 0 and all(is_text(str(k)) and _is_plain(v, deep - 1) for k, v in value.items())
    if isinstance(value, list):
        return deep > 0 and all(_is_plain(v, deep - 1) for v in value)
    return value is None or isinstance(value, (bool, int, float))


def workshop() -> Workshop:
    return cast(Workshop, current_app.extensions["workshop"])


def wants_json() -> bool:
    """Whether the page's script asked, rather than a form."""
    return request.accept_mimetypes.best_match(["text/html", "application/json"]) == "application/json"


def typed_form() -> dict[str, str]:
    """What was typed into a form, by field; a button “take-FIELD” takes what it offers for that field."""
    typed = {name: value for name, value in request.form.items() if name != "csrf_token" and not name.startswith(TAKE)}
    return typed | {name.removeprefix(TAKE): value for name, value in request.form.items() if name.startswith(TAKE)}


def meters_of(conn: sqlite3.Connection, job_id: int) -> Meters | None:
    """The meters with a job's set under their probes; None for a job whose readings are typed. Raises NotFound."""
    return workshop().meters_for(job_of(conn, job_id))


def meters_if_free(conn: sqlite3.Connection, job_id: int) -> Meters | None:
    """As meters_of(), and None while another set is read on the bench: smoke is never refused. Raises NotFound."""
    return workshop().meters_if_free(job_of(conn, job_id))


def need_meters(conn: sqlite3.Connection, job_id: int) -> Meters:
    """The meters of a job that works with instruments. Raises NotFound, FieldsRefused."""
    meters = meters_of(conn, job_id)
    if meters is None:
        raise FieldsRefused({"value": "The readings of this job are typed: read the meter by eye and write down what it shows."})
    return meters
