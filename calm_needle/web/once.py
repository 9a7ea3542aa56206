"""The one-time key in every form, and that what is sent with it is done once."""

import re
import secrets

from flask import Flask, Response, g, make_response, redirect, request
from markupsafe import Markup

from calm_needle.web.asking import workshop
from calm_needle.work import once

NAME = "once"
KEY = re.compile(r"[A-Za-z0-9_-]{16,40}")


def field() -> Markup:
    """A form's own key, another in each form of each page."""
    return Markup('<input type="hidden" name="{}" value="{}" />').format(NAME, secrets.token_urlsafe(15))


def register(app: Flask) -> None:
    """Have every form with a key done once; one without is done as often as it is sent."""

    @app.before_request
    def only_once() -> Response | None:
        key = request.form.get(NAME, "") if request.method == "POST" and request.mimetype != "application/json" else ""
        if not KEY.fullmatch(key):
            return None
        fields = [(n, v) for n, v in request.form.items(multi=True) if n not in ("csrf_token", NAME)]
        fields += [(n, f"{f.filename} {f.content_length}") for n, f in request.files.items(multi=True)]
        g.once = once.token_of(key, request.full_path, fields)
        led = once.claim(workshop(), g.once)
        if led is None:
            return None
        del g.once
        return make_response(redirect(led, 303))

    @app.after_request
    def answered(response: Response) -> Response:
        if token := g.pop("once", None):
            # Only what leads on has done something: a page shown again, or an answer to a question, may be asked for again.
            once.done(workshop(), token, response.headers.get("Location", "") if response.status_code == 303 else "")
        return response

    @app.teardown_request
    def ended(_: BaseException | None) -> None:
        if token := g.pop("once", None):
            once.done(workshop(), token, "")
