"""One application a process, put over the workshop of the test that runs: its pages are compiled once, its addresses bound once."""

from flask import Flask

from calm_needle.web.app import create_app
from calm_needle.work.workshop import Workshop

_made: list[Flask] = []


def app_over(workshop: Workshop) -> Flask:
    """Return the application over a workshop; what it was over before has ended by then, or gets one of its own."""
    if not _made:
        _made.append(create_app(workshop))
    app = _made[0]
    before: Workshop = app.extensions["workshop"]
    if before is not workshop and not before.closed:
        return create_app(workshop)
    app.extensions["workshop"] = workshop
    app.config["SECRET_KEY"] = workshop.secret_key()
    return app
