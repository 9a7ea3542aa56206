"""What views share: the workshop behind the application, and whether a script or a person asked."""

import sqlite3
from typing import cast

from flask import current_app, request

from calm_needle.errors import FieldsRefused
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.workshop import Workshop


def workshop() -> Workshop:
    return cast(Workshop, current_app.extensions["workshop"])


def wants_json() -> bool:
    """Whether the page's script asked, rather than a form."""
    return request.accept_mimetypes.best_match(["text/html", "application/json"]) == "application/json"


def typed_form() -> dict[str, str]:
    """What was typed into a form, by field."""
    return {name: value for name, value in request.form.items() if name != "csrf_token"}


def meters_of(conn: sqlite3.Connection, job_id: int) -> Meters | None:
    """The meters with a job's set under their probes; None for a job whose readings are typed. Raises NotFound."""
    return workshop().meters_for(job_of(conn, job_id))


def need_meters(conn: sqlite3.Connection, job_id: int) -> Meters:
    """The meters of a job that works with instruments. Raises NotFound, FieldsRefused."""
    meters = meters_of(conn, job_id)
    if meters is None:
        raise FieldsRefused({"value": "The readings of this job are typed: read the meter by eye and write down what it shows."})
    return meters
