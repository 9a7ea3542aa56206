"""Broadcast carriers whose frequency somebody knows: the workshop's own table, offered wherever a dial is read without a generator."""

import sqlite3
from datetime import date

from calm_needle.clock import now_utc
from calm_needle.core.form import Ask, read_form
from calm_needle.core.procedure.dial.steps import Carrier
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import carriers as store
from calm_needle.store.carriers import CarrierRow
from calm_needle.store.db import transaction

LOWEST_HZ, HIGHEST_HZ = 10e3, 300e6
COARSEST_SHARE = 1e-3  # of the frequency: a carrier that is known no better says nothing that the dial does not
OLD_DAYS = 365
ASKS = (
    Ask("name", "Name", None, "as it calls itself"),
    Ask("frequency", "Frequency", "Hz", "909k, or 909 kHz"),
    Ask("uncertainty", "Known within ±", "Hz", "in hertz: 10"),
    Ask("known_on", "Known as of", None, "a day, 2026-03-31; today if left empty", optional=True),
)


def known_carriers(conn: sqlite3.Connection) -> list[Carrier]:
    """Return the carriers that may be tuned in, rising in frequency."""
    return [Carrier(c.name, c.frequency_hz, c.uncertainty_hz) for c in store.carriers(conn)]


def table(conn: sqlite3.Connection) -> list[tuple[CarrierRow, bool]]:
    """Return the carriers, each with whether it was known so long ago that it wants looking at again."""
    today = date.fromisoformat(now_utc(conn)[:10])
    return [(c, (today - date.fromisoformat(c.known_on)).days > OLD_DAYS) for c in store.carriers(conn)]


def add(conn: sqlite3.Connection, form: dict[str, str]) -> None:
    """Keep a carrier. Raises FieldsRefused with every fault."""
    typed = read_form(ASKS, form)
    faults = dict(typed.faults)
    frequency_hz, uncertainty_hz = typed.values.get("frequency"), typed.values.get("uncertainty")
    if isinstance(frequency_hz, float) and not LOWEST_HZ <= frequency_hz <= HIGHEST_HZ:
        faults["frequency"] = "Between 10 kHz and 300 MHz. Write 909k for kilohertz."
    if isinstance(uncertainty_hz, float) and isinstance(frequency_hz, float) and not 0 < uncertainty_hz <= COARSEST_SHARE * frequency_hz:
        faults.setdefault(
            "uncertainty", "More than nothing, and at most a thousandth of the frequency; else it says no more than the dial does."
        )
    known_on = typed.texts.get("known_on") or now_utc(conn)[:10]
    try:
        if date.fromisoformat(known_on) > date.fromisoformat(now_utc(conn)[:10]):
            faults["known_on"] = "That day is still to come."
    except ValueError:
        faults["known_on"] = "A day is written 2026-03-31."
    if faults:
        raise FieldsRefused(faults)
    assert isinstance(frequency_hz, float) and isinstance(uncertainty_hz, float)
    with transaction(conn):
        store.add_carrier(
            conn,
            name=typed.texts["name"],
            frequency_hz=frequency_hz,
            uncertainty_hz=uncertainty_hz,
            known_on=known_on,
            at_utc=now_utc(conn),
        )


def withdraw(conn: sqlite3.Connection, carrier_id: int) -> None:
    """Take a carrier out of the table; what was read by it stays. Raises NotFound."""
    if all(c.id != carrier_id for c in store.carriers(conn)):
        raise NotFound("carrier", carrier_id)
    with transaction(conn):
        store.withdraw(conn, carrier_id, at_utc=now_utc(conn))
