"""The journal of a job: every fact with its state, and what it leaves to be done."""

import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from calm_needle.clock import later, seconds
from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.fold import State, findings, fold, why
from calm_needle.core.facts.opened import Open, open_now
from calm_needle.core.facts.power_ups import POWER, STEP, with_power
from calm_needle.core.facts.registry import kinds_of_fact
from calm_needle.core.soundness.power import let_go_by
from calm_needle.core.soundness.safe_start import ladder
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import journal as store
from calm_needle.store.db import kept, remembered
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness import safe_start
from calm_needle.work.verification import measuring


def _volts_or_current(conn: sqlite3.Connection, job_id: int, row_id: int, reason: str, meters: Meters | None) -> None:
    safe_start.strike(conn, job_id, {"entry": str(row_id), "reason": reason}, meters)


def _measurement(conn: sqlite3.Connection, job_id: int, row_id: int, reason: str, meters: Meters | None) -> None:
    measuring.strike(conn, job_id, row_id, reason)


# The kinds of fact that a person may discard, and how. Discarding a reading may withdraw a stop; a training receiver is then powered again.
DISCARDS: dict[str, Callable[[sqlite3.Connection, int, int, str, Meters | None], None]] = {
    "current": _volts_or_current,
    "rail": _volts_or_current,
    "measurement": _measurement,
}


class Line(NamedTuple):
    """One line of the journal: its number, when, the kind's title, what it says, its state and why, and the page it was entered on."""

    id: int
    happened_utc: str
    kind: str
    title: str
    subject: str
    words: str
    status: str
    why: str
    screen: str
    about: int | None
    origin: str  # table and row, as a form sends it back: numbers in the journal may shift
    may_discard: bool


@dataclass(frozen=True)
class Journal:
    """A job's facts with their states, in order, and its open list."""

    job: JobRow
    model: Model
    states: list[State]
    verdicts: dict[tuple[str, str], Verdict]  # by kind and subject
    open: list[Open]
    origins: list[tuple[str, int]]  # the table and row of each fact
    stale: dict[int, str]  # why a measurement does not count where something was turned since, by its number

    @property
    def lines(self) -> list[Line]:
        return [
            _line(s, origin, self.stale.get(s.fact.id) or why(s, self.model), self.model)
            for s, origin in zip(self.states, self.origins, strict=True)
        ]

    @property
    def kinds(self) -> list[tuple[str, str]]:
        """Return the kinds that occur: name and title, for a filter."""
        return sorted({(s.fact.kind, kinds_of_fact()[s.fact.kind].title) for s in self.states}, key=lambda kind: kind[1])

    @property
    def subjects(self) -> list[tuple[str, str]]:
        """Return the subjects that occur, as the journal writes them and as a page shows them."""
        return [(s, s.replace(":", " ", 1)) for s in sorted({s.fact.subject for s in self.states})]

    def filtered(self, *, kind: str = "", subject: str = "", status: str = "") -> list[Line]:
        """Return the lines of a kind, a subject, a state; an empty one leaves nothing out."""
        asked = (("kind", kind), ("subject", subject), ("status", status))
        return [line for line in self.lines if all(not value or getattr(line, name) == value for name, value in asked)]


@remembered
def of_job(conn: sqlite3.Connection, job_id: int) -> Journal:
    """Return the journal of a job. Raises NotFound."""
    job = job_of(conn, job_id)
    turned = {t.id: t.stale for t in measuring.taken(conn, job_id) if t.stale}
    state = (store.state_of_job(conn, job_id), job.dossier_id, tuple(turned.items()))
    made = kept(conn, ("journal", job_id), state, lambda: _read(conn, job, turned))
    return made if made.job == job else replace(made, job=job)


def discard(conn: sqlite3.Connection, job_id: int, form: Mapping[str, str], meters: Meters | None = None) -> None:
    """Discard a fact (origin, reason). It stays in the journal, with the reason. Raises NotFound, FieldsRefused, InstrumentError."""
    line = next((one for one in of_job(conn, job_id).lines if one.origin == form.get("origin")), None)
    if line is None:
        raise NotFound("entry of this journal", form.get("origin", "")[:40])
    reason = form.get("reason", "").strip()
    if not line.may_discard:
        why_not = f"Discarded already: {line.why}." if line.status == "discarded" else "This entry cannot be discarded."
        raise FieldsRefused({"reason": why_not})
    if not reason:
        raise FieldsRefused({"reason": "Enter what was wrong with it. Both stay in the journal."})
    DISCARDS[line.kind](conn, job_id, int(line.origin.partition(":")[2]), reason, meters)


def _read(conn: sqlite3.Connection, job: JobRow, turned: Mapping[int, str]) -> Journal:
    model = model_of_dossier(conn, job.dossier_id)
    rows = store.facts_of_job(conn, job.id)
    # What a run turned is no fact, but it invalidates measurements all the same.
    stale = {i: turned[row.row_id] for i, row in enumerate(rows, start=1) if row.table == "measurement" and row.row_id in turned}
    states = [
        s._replace(status="invalidated") if s.fact.id in stale and s.status == "valid" else s for s in fold(_facts(rows, model), model)
    ]
    found = findings(states, model)
    verdicts = {(f.state.fact.kind, f.state.fact.subject): f.verdict for f in found}
    return Journal(job, model, states, verdicts, open_now(states, found, model), [(r.table, r.row_id) for r in rows], stale)


def _facts(rows: list[store.FactRow], model: Model) -> list[Fact]:
    numbers = {(row.table, row.row_id): i for i, row in enumerate(rows, start=1)}
    facts = [
        Fact(i, row.kind, row.subject, row.detail, row.happened_utc, numbers.get(row.about) if row.about else None)
        for i, row in enumerate(rows, start=1)
    ]
    return with_power(_as_time_went_by(facts), rungs=ladder(model.safety_class), seconds=seconds)


def _as_time_went_by(facts: list[Fact]) -> list[Fact]:
    """The facts, those of a power-up at a training receiver with the minutes that were let go by since it began."""
    of_power = [f for f in facts if f.kind in POWER]
    gone_by = let_go_by((f.kind == STEP and f.detail["rung"] == 0, f.detail.get("passed_s")) for f in of_power)
    moved = {f.id: later(f.happened_utc, by_s) for f, by_s in zip(of_power, gone_by, strict=True) if by_s}
    return [f._replace(happened_utc=moved.get(f.id, f.happened_utc)) for f in facts]


def _line(state: State, origin: tuple[str, int], why: str, model: Model) -> Line:
    fact, kind = state.fact, kinds_of_fact()[state.fact.kind]
    return Line(
        *(fact.id, fact.happened_utc, fact.kind, kind.title, fact.subject, kind.line(fact, model)),
        *(state.status, why, kind.screen, fact.about),
        *(f"{origin[0]}:{origin[1]}", state.status != "discarded" and fact.kind in DISCARDS),
    )


def as_json(journal: Journal) -> list[dict[str, Any]]:
    """Return every fact as a command prints it: number, kind, subject, payload, time, state, and why it does not count."""
    return [
        {
            "id": s.fact.id,
            "kind": s.fact.kind,
            "subject": s.fact.subject,
            "detail": dict(s.fact.detail),
            "happened_utc": s.fact.happened_utc,
            "about": s.fact.about,
            "status": s.status,
            "why": line.why,
            "line": line.words,
        }
        for s, line in zip(journal.states, journal.lines, strict=True)
    ]
