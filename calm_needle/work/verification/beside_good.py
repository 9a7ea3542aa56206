"""A set beside a known good one, on one aerial, switched: which is which stays hidden from the listener until both are scored."""

import secrets
import sqlite3
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import measurements as store
from calm_needle.work.jobs.shelf import job_of, model_of_dossier

LONGEST_WORDS = 120
SCORES = {"1": "not to be understood", "2": "with effort", "3": "fair", "4": "good", "5": "perfect"}


class Trial(NamedTuple):
    """One band heard on both: what is known of it; scores are this set's and the reference's, None until both are given."""

    id: int
    band: str
    reference: str
    aerial: str
    this_score: int | None
    reference_score: int | None
    words: str


@dataclass(frozen=True)
class BesideView:
    """Trials that are scored, those that are not, and what they say together."""

    scored: list[Trial]
    open: list[Trial]
    whole: Verdict


def view(conn: sqlite3.Connection, job_id: int) -> BesideView:
    """Return a job's trials. An open one does not say which of the two is first."""
    names = {b.id: b.name for b in model_of_dossier(conn, job_of(conn, job_id).dossier_id).bands}
    trials = []
    for r in store.beside(conn, job_id):
        first, second = r.first_score, r.second_score
        mine, other = (first, second) if r.this_first else (second, first)
        trials.append(Trial(r.id, names.get(r.band, r.band), r.reference, r.aerial, mine, other, r.words))
    scored = [t for t in trials if t.this_score is not None]
    return BesideView(scored, [t for t in trials if t.this_score is None], _whole(scored))


def _whole(scored: list[Trial]) -> Verdict:
    if not scored:
        return Verdict("blank", "Nothing was compared yet.")
    worse = [t for t in scored if (t.this_score or 0) < (t.reference_score or 0)]
    lines = tuple(f"{t.band}: {t.this_score} here, {t.reference_score} on {t.reference}, {t.aerial}" for t in scored)
    if not worse:
        return Verdict("good", f"As good as {scored[-1].reference} or better on all that was heard.", lines)
    return Verdict("watch", f"Behind {worse[-1].reference} on {', '.join(dict.fromkeys(t.band for t in worse))}.", lines)


def begin(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> int:
    """Begin a trial (band, reference, aerial), the order drawn by lot, and return its id. Raises NotFound, FieldsRefused."""
    bands = {b.id for b in model_of_dossier(conn, job_of(conn, job_id).dossier_id).bands}
    reference, aerial = (form.get(name, "").strip()[:LONGEST_WORDS] for name in ("reference", "aerial"))
    faults = {}
    if form.get("band") not in bands:
        faults["band"] = "Choose the band."
    if not reference:
        faults["reference"] = "Which set is it compared with? Its maker, model and number."
    if not aerial:
        faults["aerial"] = "Which aerial do both hang on?"
    if faults:
        raise FieldsRefused(faults)
    first = bool(secrets.randbelow(2))
    return store.begin_beside(
        conn, job_id=job_id, band=form["band"], reference=reference, aerial=aerial, this_first=first, at_utc=now_utc(conn)
    )


def order_of(conn: sqlite3.Connection, job_id: int, trial_id: int) -> tuple[str, str]:
    """Return what whoever works the switch is to play first and second; the listener does not look. Raises NotFound."""
    row = _find(conn, job_id, trial_id)
    return ("this set", row.reference) if row.this_first else (row.reference, "this set")


def score(conn: sqlite3.Connection, job_id: int, trial_id: int, form: dict[str, str]) -> None:
    """Keep how the first and the second were heard (first, second: 1 to 5; words). Raises NotFound, FieldsRefused."""
    row = _find(conn, job_id, trial_id)
    faults = {f"{n}-{trial_id}": "Give it one to five." for n in ("first", "second") if form.get(n) not in SCORES}
    if row.scored_utc:
        faults = {f"first-{trial_id}": "It was scored already."}
    if faults:
        raise FieldsRefused(faults)
    words = form.get("words", "").strip()[:LONGEST_WORDS]
    store.score_beside(conn, trial_id=trial_id, first=int(form["first"]), second=int(form["second"]), words=words, at_utc=now_utc(conn))


def _find(conn: sqlite3.Connection, job_id: int, trial_id: int) -> store.BesideRow:
    row = next((r for r in store.beside(conn, job_id) if r.id == trial_id), None)
    if row is None:
        raise NotFound("trial of this job", trial_id)
    return row
