"""What is written down about a job, kind by kind, and what of it is still open."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

from calm_needle.clock import now_utc
from calm_needle.core.pictures import Picture
from calm_needle.core.procedure.stale import Stale
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.entry_kinds import KINDS, OWN_PAPER, EntryKind, Page, check
from calm_needle.core.soundness.gate import ALIGNMENT
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound, NotUnderstood
from calm_needle.store import intake, shelf
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.bench.run_book import open_again as _stale
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.power import why_live

LONGEST_WORDS = 400


@dataclass(frozen=True)
class Entry:
    """One entry as the page shows it: what came of it, and what its figures say where its kind is judged."""

    id: int
    kind: str
    detail: dict[str, str]
    at_utc: str
    ended: bool
    outcome: str
    judged: Verdict | None
    after_repair: int
    words: str = ""  # with what it was ended
    drawn: Picture | None = None

    @property
    def unverified(self) -> bool:
        """Whether it is a paper whose targets stay unverified until a reading here confirms them."""
        return self.kind == "paper" and self.detail["trust"] != OWN_PAPER


@dataclass(frozen=True)
class EntriesView:
    """Every kind of a page with its entries, and what they say together where they do."""

    job: JobRow
    kinds: list[tuple[EntryKind, list[Entry], Verdict | None]]
    bands: list[str]


def view(conn: sqlite3.Connection, job_id: int, page: Page) -> EntriesView:
    """Return what was written down about a job, on one of its pages. Raises NotFound."""
    job = job_of(conn, job_id)
    entries = [_entry(row) for row in intake.entries_of_job(conn, job_id)]
    shown = []
    for kind in (k for k in KINDS.values() if k.page == page):
        mine = [e for e in entries if e.kind == kind.name]
        shown.append((kind, mine, kind.judge_all([e.detail for e in mine]) if kind.judge_all else None))
    return EntriesView(job, shown, _bands(conn, job))


def still_open(conn: sqlite3.Connection, job_id: int) -> dict[str, list[Entry]]:
    """Return the entries that nothing has come of yet, by kind: waited for, suspected, predicted, off the set, worried about."""
    out: dict[str, list[Entry]] = {}
    for entry in map(_entry, intake.entries_of_job(conn, job_id)):
        if KINDS[entry.kind].outcomes and not entry.ended:
            out.setdefault(entry.kind, []).append(entry)
    return out


def of_kind(conn: sqlite3.Connection, job_id: int, kind: str) -> list[Entry]:
    """Return the entries of one kind in their order."""
    return [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.kind == kind]


def moved(conn: sqlite3.Connection, job_id: int) -> list[str]:
    """Return the adjusters that were moved and are not back at their marks."""
    return [e.detail["adjuster"] for e in of_kind(conn, job_id, "moved") if not e.ended]


def unverified(conn: sqlite3.Connection, job_id: int) -> list[Entry]:
    """Return the papers whose targets are not this model's own."""
    return [e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.unverified]


def add(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep an entry (kind and its fields). Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    kind = KINDS.get(form.get("kind", ""))
    if kind is None:
        raise NotFound("kind of entry", form.get("kind", "")[:20])
    detail, at_utc = check(kind, form), now_utc(conn)
    if kind.cold and (live := why_live(conn, job_id)):
        raise FieldsRefused({kind.fields[0].name: live})
    bands = _bands(conn, job) if kind.bands else []
    _ask_about_frequencies(conn, job, kind, form, detail)
    if unknown := [name for name in kind.bands if detail[name] not in bands]:
        raise FieldsRefused(dict.fromkeys(unknown, f"This set has no such band. Choose one: {', '.join(bands)}."))
    with transaction(conn):
        intake.add_entry(conn, job_id=job_id, kind=kind.name, detail=json.dumps(detail, ensure_ascii=False), at_utc=at_utc)
        if kind.reopens:
            done = [m.phase for m in shelf.phase_marks(conn, job_id).values() if m.state == "done" and m.phase in ALIGNMENT]
            _stale(conn, job_id, [Stale(phase, kind.reopens(detail), ()) for phase in done], at_utc=at_utc)


def _ask_about_frequencies(
    conn: sqlite3.Connection, job: JobRow, kind: EntryKind, form: Mapping[str, str], detail: Mapping[str, str]
) -> None:
    """Ask about a frequency that a factor of a thousand or a million would bring into the band that the entry names."""
    slips = Slips(form)
    for band in (b for b in model_of_dossier(conn, job.dossier_id).bands if kind.bands and b.name in {detail.get(n) for n in kind.bands}):
        for ask in kind.fields:
            if ask.unit == "Hz" and detail.get(ask.name):
                slips.within(ask.name, parse_si(detail[ask.name], unit="Hz"), sensible=(band.f_low_hz, band.f_high_hz), unit="Hz")
    slips.refuse()


def _bands(conn: sqlite3.Connection, job: JobRow) -> list[str]:
    return [b.name for b in model_of_dossier(conn, job.dossier_id).bands]


def end(conn: sqlite3.Connection, job_id: int, entry_id: int, form: dict[str, str]) -> None:
    """Record what came of an entry that was open (outcome, words); where the outcome follows from the figure, that counts.

    Raises NotFound, FieldsRefused: a suspicion, a worry and a prediction end with a figure, and not with a click.
    """
    entry = _find(conn, job_id, entry_id)
    kind, words, field = KINDS[entry.kind], form.get("words", "").strip()[:LONGEST_WORDS], f"words-{entry_id}"
    if entry.ended:
        raise FieldsRefused({field: f"It was ended already: {entry.outcome}."})
    if kind.proof and not any(c.isdigit() for c in words):
        raise FieldsRefused({field: f"{kind.proof}: without a figure it stays open."})
    outcome = form.get("outcome", "")
    if kind.settle:
        try:
            outcome = kind.settle(entry.detail, words) or outcome
        except NotUnderstood as fault:
            raise FieldsRefused({field: str(fault)}) from None
    if outcome not in kind.outcomes:
        raise FieldsRefused({field: f"Say what came of it: {', '.join(kind.outcomes)}."})
    intake.end_entry(conn, entry_id=entry_id, outcome=outcome, words=words, at_utc=now_utc(conn))


def open_again(conn: sqlite3.Connection, job_id: int, entry_id: int) -> None:
    """Take back what was said to have come of an entry: it is open again. Raises NotFound, FieldsRefused."""
    if not _find(conn, job_id, entry_id).ended:
        raise FieldsRefused({f"words-{entry_id}": "It is open."})
    intake.end_entry(conn, entry_id=entry_id, outcome=None, words="", at_utc=now_utc(conn))


def _find(conn: sqlite3.Connection, job_id: int, entry_id: int) -> Entry:
    entry = next((e for e in map(_entry, intake.entries_of_job(conn, job_id)) if e.id == entry_id), None)
    if entry is None or not KINDS[entry.kind].outcomes:
        raise NotFound("entry of this job that something can come of", entry_id)
    return entry


def _entry(row: intake.EntryRow) -> Entry:
    detail = {str(k): str(v) for k, v in json.loads(row.detail).items()}
    judge = KINDS[row.kind].judge
    judged = judge(detail) if judge else None
    draws = KINDS[row.kind].draws
    drawn = draws(detail) if draws else None
    return Entry(row.id, row.kind, detail, row.at_utc, row.ended_utc is not None, row.outcome, judged, row.after_repair, row.words, drawn)
