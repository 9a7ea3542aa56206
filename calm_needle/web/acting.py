"""Doing what a form asks: a redirect to where it shows, or the page again with what was refused at its field and what was typed."""

import sqlite3
from collections.abc import Callable
from typing import Protocol, TypeVar

from flask import Response, make_response, redirect

from calm_needle.errors import BenchInUse, FieldsRefused, InstrumentError, JobMovedOn
from calm_needle.web.asking import typed_form, workshop

Done = TypeVar("Done")


class Again(Protocol):
    """Renders the page that was left with what was typed and a sentence for each field that was refused."""

    def __call__(self, *, typed: dict[str, str], faults: dict[str, str]) -> str: ...


def act(do: Callable[[sqlite3.Connection], Done], *, then: Callable[[Done], str], again: Again, of_all: str = "value") -> Response:
    """Do something with the store and redirect to then(what it returned); or answer again(typed, faults) with the status that fits.

    of_all: the field at which it is said that another window was quicker (409) or that an instrument does not answer (503).
    Whatever else is raised goes on to web/failures.py.
    """
    typed = typed_form()
    with workshop().store() as conn:
        try:
            done = do(conn)
        except FieldsRefused as fault:
            faults, status = dict(fault.faults), 422
            # What is only asked about: what was meant is offered, and what was typed is taken when it is sent once more.
            typed |= {f"meant-{name}": meant for name, meant in fault.meant.items()}
            typed |= {f"sure-{name}": typed.get(name, "") for name in fault.meant}
            typed |= {f"ask-{name}": words for name, words in fault.asks.items()}
        except (JobMovedOn, BenchInUse) as fault:
            faults, status = {of_all: str(fault)}, 409
        except InstrumentError as fault:
            faults, status = {of_all: str(fault)}, 503
        else:
            return make_response(redirect(then(done), 303))
    return make_response(again(typed=typed, faults=faults), status)
