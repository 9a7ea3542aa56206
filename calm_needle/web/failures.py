"""Errors as pages: which status, and the sentence, for everything that can go wrong. The one table."""

import logging
import secrets

from flask import Flask, Response, jsonify, make_response, render_template
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, SecurityError

from calm_needle.errors import (
    BenchInUse,
    CalmNeedleError,
    FieldsRefused,
    FileRefused,
    InstrumentError,
    JobMovedOn,
    NotFound,
    NotUnderstood,
    OutOfRange,
    RunMovedOn,
    SentTwice,
    StoreUnusable,
    UnknownName,
)
from calm_needle.web.asking import wants_json
from calm_needle.work.bench.run_book import NotSureEnough

STATUS: tuple[tuple[type[CalmNeedleError], int, str], ...] = (
    (NotFound, 404, "That is not here"),
    (UnknownName, 404, "There is none of that name"),
    (RunMovedOn, 409, "The run has moved on"),
    (JobMovedOn, 409, "Another window was quicker"),
    (BenchInUse, 409, "The bench is in use"),
    (SentTwice, 409, "It was sent before"),
    (NotSureEnough, 409, "Not yet sure"),
    (FieldsRefused, 422, "Something is missing"),
    (FileRefused, 422, "The file was not taken in"),
    (NotUnderstood, 422, "That could not be read"),
    (OutOfRange, 422, "That cannot be"),
    (InstrumentError, 503, "An instrument is in the way"),
    (StoreUnusable, 503, "The data folder cannot be used"),
)
WORDS = {
    400: ("That request is not in order", "It came without what this page needs. Go back, load the page again, and repeat it."),
    403: ("Not from there", "It came from another page or an old one. Nothing was changed. Load the page again and repeat it."),
    404: ("There is no such page", "The address is wrong, or what it showed is gone. Everything starts on the shelf."),
    405: ("That page does not do that", "Go back and use the page’s own buttons."),
    413: (
        "That is too large",
        "A dossier has at most two megabytes, a recording twenty, photographs sixty together. Nothing was kept; bring less at once.",
    ),
    500: (
        "Calm Needle has made a mistake",
        "Nothing you had already confirmed is lost. Load the page again; if it comes back, report the number.",
    ),
}
log = logging.getLogger("calm_needle")


POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "
    "worker-src 'self'; media-src 'self'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(self), geolocation=()",
}


def register(app: Flask) -> None:
    """Let every failure come out as a designed page, or as JSON for the page's own script."""

    @app.errorhandler(CalmNeedleError)
    def on_purpose(fault: CalmNeedleError) -> Response:
        for kind, status, title in STATUS:
            if isinstance(fault, kind):
                unsure = isinstance(fault, NotSureEnough)
                return _answer(status, title, str(fault), ask=unsure, faults=getattr(fault, "faults", None))
        return _answer(400, "That cannot be done", str(fault))

    @app.errorhandler(CSRFError)
    def forged(_: CSRFError) -> Response:
        return _answer(403, *WORDS[403])

    @app.errorhandler(SecurityError)
    def another_name(_: SecurityError) -> Response:
        # No page of ours for a name that is not ours: plain words, and nothing that could be driven.
        return guarded(Response("Calm Needle answers to 127.0.0.1 and localhost only.\n", status=421, mimetype="text/plain"))

    @app.errorhandler(HTTPException)
    def http(fault: HTTPException) -> Response:
        status = fault.code or 500
        title, words = WORDS.get(status, (fault.name, fault.description or ""))
        return _answer(status, title, words)

    @app.errorhandler(Exception)
    def unforeseen(_: Exception) -> Response:
        number = secrets.token_hex(4)
        log.exception("unforeseen failure %s", number)
        title, words = WORDS[500]
        return _answer(500, title, words, number=number)


def guarded(response: Response) -> Response:
    """Give an answer the headers that keep its page to itself."""
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    return response


def _answer(status: int, title: str, words: str, *, ask: bool = False, number: str | None = None, faults: object = None) -> Response:
    if wants_json():
        return guarded(make_response(jsonify(title=title, words=words, ask=ask, number=number), status))
    listed = [str(f) for f in faults] if isinstance(faults, tuple) else []
    lead = words.split("\n", 1)[0] if listed else words
    try:
        page = render_template("error/page.html", status=status, title=title, words=lead, number=number, faults=listed)
    except Exception:  # the page of failures cannot itself fail: then plain words
        log.exception("the page of failures failed")
        said = [title, lead, *listed, *([f"Number {number} in the log."] if number else [])]
        return guarded(Response("\n\n".join(said) + "\n", status=status, mimetype="text/plain"))
    return guarded(make_response(page, status))
