"""What views share: the workshop behind the application, and whether a script or a person asked."""

from typing import cast

from flask import current_app, request

from calm_needle.work.workshop import Workshop


def workshop() -> Workshop:
    return cast(Workshop, current_app.extensions["workshop"])


def wants_json() -> bool:
    """Whether the page's script asked, rather than a form."""
    return request.accept_mimetypes.best_match(["text/html", "application/json"]) == "application/json"


def typed_form() -> dict[str, str]:
    """What was typed into a form, by field."""
    return {name: value for name, value in request.form.items() if name != "csrf_token"}
