"""The register of instruments: checks kept, what falls due, and how sure a result is by what measured it."""

import sqlite3
from datetime import date, timedelta
from typing import NamedTuple

from calm_needle.bench.kinds import KINDS
from calm_needle.clock import now_utc
from calm_needle.core.form import Ask, read_form
from calm_needle.core.verification.register import GIVEN_AS, SOON_DAYS, TAKEN, U95, UNITS, Check, Sure, sure_of
from calm_needle.errors import FieldsRefused
from calm_needle.store import part_checks
from calm_needle.store import register as store
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.shelf import parts_of_job

SIMULATED = "simulated"
OHMMETER, PART_METERS = "multimeter", {"capacitor": "lcr-meter"}  # what reads parts of a kind: an ohmmeter unless it is told here


class RegisterLine(NamedTuple):
    """One quantity of an instrument: their names, its unit, how sure it is, its serial and what was noted last."""

    instrument: str
    name: str
    quantity: str
    unit: str
    sure: Sure
    serial: str
    due_on: str
    found_off: float | None


def asks(quantity: str) -> tuple[Ask, ...]:
    """Return what is asked of a check of a quantity."""
    unit = UNITS[quantity]
    return (
        Ask("serial", "Serial no., or its label", None, optional=True),
        Ask("checked_on", "Checked on", None, "2026-03-31"),
        Ask("against", "Against", None, "a rubidium standard; the workshop’s own counter"),
        Ask("found_off", f"Found off by, {unit}", unit, "if it was read", optional=True),
        Ask("uncertainty", f"Its uncertainty since ±, {unit}", unit),
        Ask("given_as", "Which is given as", choices=tuple(GIVEN_AS), optional=True),
        Ask("due_on", "Due again on", None, "2027-03-31", optional=True),
    )


def lines(conn: sqlite3.Connection) -> list[RegisterLine]:
    """Return every quantity of every kind of instrument with what the register says of it."""
    rows = store.checks(conn)
    known = _checks(rows)
    out = []
    for instrument, quantity in TAKEN:
        last = next((r for r in reversed(rows) if (r.instrument, r.quantity) == (instrument, quantity)), None)
        out.append(
            RegisterLine(
                instrument,
                KINDS[instrument].name,
                quantity,
                UNITS[quantity],
                sure_of(known, instrument=instrument, quantity=quantity, **_days()),
                last.serial if last else "",
                (last.due_on or "") if last else "",
                last.found_off if last else None,
            )
        )
    return out


def lines_used(conn: sqlite3.Connection, job: JobRow) -> list[RegisterLine]:
    """Return what the register says of the instruments of which a job has readings, and of no other."""
    used = store.used_in_job(conn, job.id)
    kinds = {p.id: p.kind for p in parts_of_job(conn, job)}
    measured = {kinds[c.part] for c in part_checks.part_checks(conn, job.id) if c.part in kinds}
    used |= {(PART_METERS.get(kind, OHMMETER), "ohms") for kind in measured - {"device"}}
    return [line for line in lines(conn) if (line.instrument, line.quantity) in used]


def add(conn: sqlite3.Connection, instrument: str, quantity: str, form: dict[str, str]) -> None:
    """Keep a check. Raises FieldsRefused with every fault."""
    if (instrument, quantity) not in TAKEN:
        raise FieldsRefused({"instrument": "There is no such instrument in the register."})
    typed = read_form(asks(quantity), form)
    faults = dict(typed.faults)
    for name in ("checked_on", "due_on"):
        if (text := typed.texts.get(name)) and name not in faults and not _is_day(text):
            faults[name] = "Write the day as 2026-03-31."
    if not faults and typed.texts["checked_on"] > date.today().isoformat():
        faults["checked_on"] = "That day is still to come."
    if not faults and typed.texts["due_on"] and typed.texts["due_on"] <= typed.texts["checked_on"]:
        faults["due_on"] = "It falls due after the day it was checked."
    if faults:
        raise FieldsRefused(faults)
    found, sure = typed.values.get("found_off"), typed.values["uncertainty"]
    assert isinstance(sure, float)
    store.add(
        conn,
        instrument=instrument,
        quantity=quantity,
        serial=typed.texts["serial"][:60],
        checked_on=typed.texts["checked_on"],
        due_on=typed.texts["due_on"] or None,
        against=typed.texts["against"][:120],
        found_off=found if isinstance(found, float) else None,
        uncertainty=sure,
        given_as=typed.texts["given_as"] or U95,
        at_utc=now_utc(conn),
    )


def sure(conn: sqlite3.Connection, *, instrument: str, quantity: str) -> Sure:
    """Return how sure an instrument is of a quantity."""
    return sure_of(_checks(store.checks(conn)), instrument=instrument, quantity=quantity, **_days())


def overdue(conn: sqlite3.Connection) -> list[RegisterLine]:
    """Return what was due and is not checked."""
    return [line for line in lines(conn) if line.sure.state == "overdue"]


def _checks(rows: list[store.CheckRow]) -> list[Check]:
    return [Check(r.instrument, r.quantity, r.checked_on, r.due_on, r.against, r.uncertainty, r.given_as) for r in rows]


def _days() -> dict[str, str]:
    today = date.today()
    return {"today": today.isoformat(), "soon": (today + timedelta(days=SOON_DAYS)).isoformat()}


def _is_day(text: str) -> bool:
    try:
        return date.fromisoformat(text).isoformat() == text
    except ValueError:
        return False
