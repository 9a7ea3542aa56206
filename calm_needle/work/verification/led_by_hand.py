"""A sensitivity that the program leads a hand to: less, a little less, here. For a generator with a knob and a meter with a needle."""

import json
import math
import sqlite3
from dataclasses import dataclass
from typing import Any

from calm_needle.bench.ears import Ears
from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Band
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.quantities import Quantity, format_si, parse_reading, parse_si
from calm_needle.core.soundness.repairs import UNDER_THE_IRON
from calm_needle.core.verification.definitions import DEFINITIONS, Definition, heard_apart_db
from calm_needle.core.verification.led_by_hand import STATES, Led, led
from calm_needle.core.verification.led_by_hand import now as say_now
from calm_needle.core.verification.level_for_ratio import Tried
from calm_needle.errors import FieldsRefused, InstrumentError, NotFound, NotUnderstood
from calm_needle.store import led_searches as store
from calm_needle.store import repairs as repair_store
from calm_needle.store.db import transaction
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.bands import SENSIBLE_LEVEL_V, at_the_aerial, middle_of
from calm_needle.work.verification import instruments_register, measuring

FARTHEST_DB = 80.0  # apart: more is a slip


@dataclass(frozen=True)
class Asks:
    """What is typed at a level: the field, its label, and whether volts or decibels, or decibels alone, are meant."""

    name: str
    label: str
    units: tuple[str, ...]


@dataclass(frozen=True)
class Search:
    """A search as its page shows it. tries: what stands and what was taken back, the newest first."""

    id: int
    job_id: int
    band: Band
    at_hz: float
    definition: Definition
    coupling: str
    cover: str
    led: Led
    asks: tuple[Asks, ...]
    tries: list[store.TryRow]
    ended: bool

    @property
    def at(self) -> str:
        return format_si(self.at_hz, unit="Hz")

    @property
    def can_be_heard(self) -> bool:
        """Whether one listening tells how far apart the two are."""
        return self.definition.heard_at_once

    @property
    def last(self) -> store.TryRow | None:
        """The try that can be taken back."""
        return next((t for t in self.tries if not t.struck_utc), None)


def begin(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> int:
    """Begin a search (band, at_hz, definition, coupling, cover) and return its id. Raises NotFound, FieldsRefused with every fault."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    band = next((b for b in model.bands if b.id == form.get("band")), None)
    definition = next((d for d in DEFINITIONS.values() if d.words == form.get("definition") and d.by_instruments), None)
    slips = Slips(form)
    if band is None:
        slips.faults["band"] = "Choose the band."
    if definition is None:
        slips.faults["definition"] = "Choose by what it is defined."
    coupling = form.get("coupling", "").strip()[:80]
    if not coupling:
        slips.faults["coupling"] = "Say how the generator is coupled: levels are compared only where it was the same."
    at_hz = middle_of(band) if band else 0.0
    if band and form.get("at_hz", "").strip():
        try:
            at_hz = parse_si(form["at_hz"], unit="Hz")
        except NotUnderstood as fault:
            slips.faults["at_hz"] = str(fault)
        else:
            slips.within("at_hz", at_hz, sensible=(band.f_low_hz * 0.8, band.f_high_hz * 1.25), unit="Hz")
    cover = measuring.cover_said(form, slips.faults)
    slips.refuse()
    assert band and definition
    asked = {"band": band.id, "at_hz": at_hz, "definition": definition.name, "coupling": coupling, "cover": cover}
    return store.begin(conn, job_id=job_id, asked=json.dumps(asked, ensure_ascii=False), at_utc=now_utc(conn))


def view(conn: sqlite3.Connection, job_id: int, search_id: int) -> Search:
    """Return a search as it stands. Raises NotFound."""
    job = job_of(conn, job_id)
    row = next((r for r in store.of_job(conn, job_id) if r.id == search_id), None)
    if row is None:
        raise NotFound("search of this job", search_id)
    asked = json.loads(row.asked)
    model = model_of_dossier(conn, job.dossier_id)
    band = next((b for b in model.bands if b.id == asked["band"]), None)
    if band is None:
        raise NotFound("band", asked["band"])
    definition = DEFINITIONS[asked["definition"]]
    tries = store.tries_of(conn, search_id)
    # What was read before something was changed says nothing of the set as it is.
    changed = max((r.id for r in repair_store.repairs_of_job(conn, job_id) if r.what in UNDER_THE_IRON), default=0)
    tried = [Tried(t.level_v, t.apart_db) for t in tries if not t.struck_utc and t.after_repair >= changed]
    stands = led(tried, definition, first_v=measuring.expected_v(conn, job_id, band.id))
    return Search(
        search_id,
        job_id,
        band,
        asked["at_hz"],
        definition,
        asked["coupling"],
        asked["cover"],
        stands,
        _asks(definition),
        tries[::-1],
        row.ended_utc is not None,
    )


def open_of(conn: sqlite3.Connection, job_id: int) -> list[Search]:
    """Return the searches of a job that were begun and not ended. Raises NotFound."""
    return [view(conn, job_id, row.id) for row in store.of_job(conn, job_id) if row.ended_utc is None]


def add(conn: sqlite3.Connection, job_id: int, search_id: int, form: dict[str, str], ears: Ears | None = None) -> int:
    """Keep what was read at a level (level_v and what is asked), and return the try's id. Raises NotFound, FieldsRefused.

    ears: which are asked where a page listens and nothing was typed but the level.
    """
    search = _open(conn, job_id, search_id)
    by_ear = _by_ear(search, form, ears)
    slips = Slips(form)
    read: dict[str, Quantity] = {}
    level_v = 0.0
    try:
        level_v = parse_si(form.get("level_v", ""), unit="V")
    except NotUnderstood as fault:
        slips.faults["level_v"] = str(fault)
    else:
        if level_v <= 0:
            slips.faults["level_v"] = "It is above zero."
        elif not SENSIBLE_LEVEL_V[0] <= level_v <= SENSIBLE_LEVEL_V[1]:
            slips.about("level_v", level_v, expected=search.led.level_v or measuring.USUAL_LEVEL_V, unit="V")
    for ask in () if by_ear is not None else search.asks:
        try:
            read[ask.name] = parse_reading(form.get(ask.name, ""), units=ask.units)
        except NotUnderstood as fault:
            slips.faults[ask.name] = str(fault)
        else:
            if read[ask.name].unit == "V" and read[ask.name].value <= 0:
                slips.faults[ask.name] = "It is above zero."
    slips.refuse()
    if by_ear is not None:
        return store.add_try(conn, search_id=search_id, level_v=level_v, apart_db=by_ear, shown="by ear", at_utc=now_utc(conn))
    apart = _apart_db(conn, job_id, search, read)
    shown = "; ".join(f"{a.label} {form[a.name].strip()[:30]}" for a in search.asks)
    return store.add_try(conn, search_id=search_id, level_v=level_v, apart_db=apart, shown=shown, at_utc=now_utc(conn))


def now(conn: sqlite3.Connection, job_id: int, search_id: int, ears: Ears) -> Advice | None:
    """Return what is said to the hand at the attenuator by what is heard now; None where nobody listens. Raises NotFound."""
    search = view(conn, job_id, search_id)
    try:
        apart = heard_apart_db(search.definition, ears.hear()) if ears.open else None
    except InstrumentError as fault:
        return Advice("watch", "eye", "Nothing that tells anything is heard.", str(fault))
    return None if apart is None else say_now(apart, search.definition)


def take_back(conn: sqlite3.Connection, job_id: int, search_id: int) -> None:
    """Take the last try back; it stays, struck. Raises NotFound, FieldsRefused."""
    search = _open(conn, job_id, search_id)
    if search.last is None:
        raise FieldsRefused({"value": "Nothing was read yet that could be taken back."})
    store.strike_try(conn, try_id=search.last.id, at_utc=now_utc(conn))


def keep(conn: sqlite3.Connection, job_id: int, search_id: int) -> int:
    """Keep the level that a search came to as a measurement by hand, and return its id. Raises NotFound, FieldsRefused."""
    search = _open(conn, job_id, search_id)
    found = search.led.found
    if found is None or not search.led.done:
        raise FieldsRefused({"value": f"It is not known yet: {search.led.advice.sentence}"})
    generator = instruments_register.sure(conn, instrument="generator", quantity="level")
    form = {
        "band": search.band.id,
        "at_hz": repr(search.at_hz),
        "level_v": repr(found.level_v),
        "sure-level_v": repr(found.level_v),  # it was asked about where it was typed
        "definition": search.definition.words,
        "coupling": search.coupling,
        "cover": search.cover,
    }
    heard = {"tries": float(sum(not t.struck_utc for t in search.tries))}
    with transaction(conn):
        kept = measuring.write_down(conn, job_id, "sensitivity", form, sigma=math.hypot(found.sigma_db, generator.sigma), heard=heard)
        store.end(conn, search_id=search_id, measurement_id=kept, at_utc=now_utc(conn))
    return kept


def leave(conn: sqlite3.Connection, job_id: int, search_id: int) -> None:
    """End a search without a figure; what was tried stays. Raises NotFound, FieldsRefused."""
    _open(conn, job_id, search_id)
    store.end(conn, search_id=search_id, measurement_id=None, at_utc=now_utc(conn))


def _open(conn: sqlite3.Connection, job_id: int, search_id: int) -> Search:
    search = view(conn, job_id, search_id)
    if search.ended:
        raise FieldsRefused({"value": "This search has ended already: begin another from the verification."})
    return search


def _by_ear(search: Search, form: dict[str, str], ears: Ears | None) -> float | None:
    """How far apart the two are by what is heard now; None where something was typed, or nobody listens. Raises FieldsRefused."""
    if ears is None or not ears.open or any(form.get(a.name, "").strip() for a in search.asks):
        return None
    try:
        return heard_apart_db(search.definition, ears.hear())
    except InstrumentError as fault:
        raise FieldsRefused({search.asks[0].name: str(fault)}) from None


def _asks(definition: Definition) -> tuple[Asks, ...]:
    if definition.waveform:
        return (Asks("apart", "SINAD on the meter", ("dB",)),)
    states: list[tuple[str, Any]] = [("high", definition.high), ("low", definition.low)]
    return tuple(Asks(name, f"Output, {STATES[state]}", ("V", "dB")) for name, state in states if STATES[state])


def _apart_db(conn: sqlite3.Connection, job_id: int, search: Search, read: dict[str, Quantity]) -> float:
    """How far apart the two outputs were (dB)."""
    if "apart" in read:
        apart = read["apart"].value
    elif "low" in read:
        high, low = read["high"], read["low"]
        if high.unit != low.unit:
            raise FieldsRefused({"low": "Both in volts, or both in decibels of the same scale."})
        apart = high.value - low.value if high.unit == "dB" else gain_db(from_v=low.value, to_v=high.value)
    else:
        model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
        if read["high"].unit != "V":
            raise FieldsRefused({"high": "The standard output is so many volts across the load: write volts."})
        apart = gain_db(from_v=at_the_aerial(model)[1], to_v=read["high"].value)
    if abs(apart) > FARTHEST_DB:
        raise FieldsRefused({next(reversed(read)): f"That is {apart:.0f} dB apart, more than any set: look at the units."})
    return apart
