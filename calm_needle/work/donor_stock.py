"""The workshop's donor stock: what is kept, how it was tested, what it may stand in for, and which job it went into."""

import sqlite3
from dataclasses import dataclass

from calm_needle.clock import now_utc
from calm_needle.core.form import Ask, read_form
from calm_needle.core.quantities import format_si, parse_si
from calm_needle.core.soundness.donors import KINDS, TESTED, UNTESTED, Donor, offered
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import donor_stock as store
from calm_needle.store.db import transaction
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness import parts_sweep

MOST = 999  # of one kind in one drawer
ASKS = (
    Ask("kind", "Kind", choices=tuple(KINDS)),
    Ask("name", "What it is", None, "as printed on it, or its place: IF transformer, second; 450 V can"),
    Ask("value", "Value, where it has one", None, "47k, 0.1u", optional=True),
    Ask("count", "How many", None, "1", optional=True),
    Ask("from_what", "Out of", None, "a Halvern 6B, scrapped; bought new", optional=True),
    Ask("place", "Where it lies", None, "drawer 4", optional=True),
    Ask("tested", "Tested", choices=TESTED, optional=True),
    Ask("test_words", "What the test showed", None, "primary 14 Ω, secondary 14 Ω", optional=True),
)
SENSIBLE = {"F": (1e-13, 1.0), "Ω": (0.01, 1e9)}


@dataclass(frozen=True)
class StockLine:
    """A part of the stock with its value in words and where its like went, the newest first."""

    donor: Donor
    shown: str
    went: list[str]


@dataclass(frozen=True)
class OfferedFor:
    """What of the stock may stand in for a part that is out, and what its taking makes due."""

    part: str
    name: str
    donors: list[StockLine]
    then: str


def lines(conn: sqlite3.Connection) -> list[StockLine]:
    """Return the stock, what is used up too."""
    moves = store.moves(conn)
    out = []
    for d in _all(conn):
        unit = KINDS[d.kind].unit
        shown = format_si(d.value, unit=unit, digits=3) if d.value is not None and unit else ""
        out.append(StockLine(d, shown, [f"{m.at_utc[:10]}: {m.words}" for m in moves if m.donor_part_id == d.id and m.change < 0]))
    return out


def add(conn: sqlite3.Connection, form: dict[str, str]) -> int:
    """Put a part into the stock, and return its id. Raises FieldsRefused with every fault."""
    typed = read_form(ASKS, form)
    slips = Slips(form)
    slips.faults |= typed.faults
    kind = KINDS.get(typed.texts["kind"])
    value, count = None, 1
    if kind and kind.unit and (text := typed.texts["value"]):
        try:
            value = parse_si(text, unit=kind.unit)
        except NotUnderstood as fault:
            slips.faults["value"] = str(fault)
        else:
            slips.within("value", value, sensible=SENSIBLE[kind.unit], unit=kind.unit)
    elif kind and kind.share and not typed.texts["value"]:
        slips.faults["value"] = f"A {kind.name} is found again by its value."
    if text := typed.texts["count"]:
        count = int(text) if text.isascii() and text.isdigit() and len(text) < 5 else 0
        if not 1 <= count <= MOST:
            slips.faults["count"] = f"A whole number, 1 to {MOST}."
    slips.refuse()
    assert kind
    t, at_utc = typed.texts, now_utc(conn)
    with transaction(conn):
        kept = store.add(conn, kind=kind.name, name=t["name"], value=value, from_what=t["from_what"], place=t["place"], at_utc=at_utc)
        store.move(conn, donor_part_id=kept, change=count, job_id=None, words="put in", at_utc=at_utc)
        if t["tested"] and t["tested"] != UNTESTED:
            store.test(conn, donor_part_id=kept, outcome=t["tested"], words=t["test_words"], at_utc=at_utc)
    return kept


def tested(conn: sqlite3.Connection, donor_id: int, form: dict[str, str]) -> None:
    """Keep a test of a part of the stock. Raises NotFound, FieldsRefused."""
    _one(conn, donor_id)
    outcome = form.get("tested", "")
    if outcome not in TESTED or outcome == UNTESTED:
        raise FieldsRefused({f"tested-{donor_id}": "Say how it was found: good, weak or bad."})
    store.test(conn, donor_part_id=donor_id, outcome=outcome, words=form.get("test_words", "").strip()[:200], at_utc=now_utc(conn))


def take(conn: sqlite3.Connection, donor_id: int, form: dict[str, str]) -> None:
    """Take one out, for a job and one of its parts, or thrown away (no job). Raises NotFound, FieldsRefused."""
    donor = _one(conn, donor_id)
    if donor.left < 1:
        raise FieldsRefused({f"take-{donor_id}": "None is left."})
    text = form.get("job", "").strip()
    if text and not (text.isascii() and text.isdigit() and len(text) < 10):
        raise FieldsRefused({f"take-{donor_id}": "Write the number of the job, or leave it empty where it was thrown away."})
    job = job_of(conn, int(text)) if text else None
    part = form.get("part", "").strip()[:60]
    words = f"into job {job.id}, {job.model_name} no. {job.serial}{', ' + part if part else ''}" if job else "thrown away"
    store.move(conn, donor_part_id=donor_id, change=-1, job_id=job.id if job else None, words=words, at_utc=now_utc(conn))


def put_back(conn: sqlite3.Connection, donor_id: int) -> None:
    """Put back the last one that was taken. Raises NotFound, FieldsRefused."""
    _one(conn, donor_id)
    moves = [m for m in store.moves(conn) if m.donor_part_id == donor_id]
    if not any(m.change < 0 for m in moves) or moves[0].words == "put back":
        raise FieldsRefused({f"take-{donor_id}": "None was taken that could be put back."})
    store.move(conn, donor_part_id=donor_id, change=1, job_id=None, words="put back", at_utc=now_utc(conn))


def for_parts_that_are_out(conn: sqlite3.Connection, job_id: int) -> list[OfferedFor]:
    """Return what the stock has for the parts of a job that are out of tolerance. Raises NotFound."""
    stock = [line for line in lines(conn) if line.donor.left > 0]
    if not stock:
        return []
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    by_id = {line.donor.id: line for line in stock}
    out = []
    for _, here, _ in parts_sweep.view(conn, job_id).regions:
        for swept in here:
            if swept.verdict.state == "out" and (found := offered(swept.part, (line.donor for line in stock), model_name=model.name)):
                out.append(OfferedFor(swept.part.id, swept.part.name, [by_id[d.id] for d in found], KINDS[found[0].kind].then))
    return out


def _all(conn: sqlite3.Connection) -> list[Donor]:
    return [
        Donor(r.id, r.kind, r.name, r.value, r.from_what, r.place, r.left, r.outcome or UNTESTED, r.words, r.tested_utc)
        for r in store.parts(conn)
        if r.kind in KINDS
    ]


def _one(conn: sqlite3.Connection, donor_id: int) -> Donor:
    found = next((d for d in _all(conn) if d.id == donor_id), None)
    if found is None:
        raise NotFound("part of the donor stock", donor_id)
    return found
