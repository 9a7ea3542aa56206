"""Before alignment: complaints that must be tested again, and the gate that opens when the set is sound or somebody waives it."""

import json
import sqlite3

from calm_needle.clock import now_utc
from calm_needle.core.soundness.complaints import Complaint, Retest, check_retest
from calm_needle.core.soundness.gate import Gate, alignment_gate, closing_gate
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import intake, repairs, shelf

LONGEST_WORDS = 400
# Entries that keep a job open until something comes of them, and what is said of them.
OPEN_ENDS = {
    "suspicion": "only suspected",
    "prediction": "predicted, and was never looked at",
    "worry": "not settled",
    "came off": "still off the set",
    "revived": "not explained",
}


def complaints_of(conn: sqlite3.Connection, job_id: int) -> list[Complaint]:
    """Return the complaints of a job with their retests."""
    retests: dict[int, list[Retest]] = {}
    for r in intake.retests_of_job(conn, job_id):
        retests.setdefault(r.complaint_id, []).append(Retest(r.outcome, r.words, r.at_utc, r.after_repair, r.cover))
    return [Complaint(c.id, c.words, c.place, c.opened_utc, tuple(retests.get(c.id, ()))) for c in intake.complaints_of_job(conn, job_id)]


def add_complaint(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep a further complaint (words, place). Raises NotFound, FieldsRefused."""
    _need_job(conn, job_id)
    words = form.get("words", "").strip()
    if not words:
        raise FieldsRefused({"words": "Write what is complained of, in the owner’s words."})
    intake.add_complaint(
        conn, job_id=job_id, words=words[:LONGEST_WORDS], place=form.get("place", "").strip()[:LONGEST_WORDS], at_utc=now_utc(conn)
    )


def retest(conn: sqlite3.Connection, job_id: int, complaint_id: int, form: dict[str, str]) -> None:
    """Keep the retest of a complaint (outcome, words, cover). Raises NotFound, FieldsRefused."""
    if complaint_id not in {c.id for c in intake.complaints_of_job(conn, job_id)}:
        raise NotFound("complaint of this job", complaint_id)
    words = form.get("words", "").strip()[:LONGEST_WORDS]
    cover = form.get("cover", "")
    outcome = check_retest(outcome=form.get("outcome", ""), words=words, cover=cover)
    intake.add_retest(conn, complaint_id=complaint_id, outcome=outcome, words=words, at_utc=now_utc(conn), cover=cover)


def gate_of(conn: sqlite3.Connection, job_id: int) -> Gate:
    """Return the gate before alignment as it stands. A waiver holds for what was missing when it was given, and not for what a change has
    opened again since."""
    waiver = intake.last_waiver(conn, job_id)
    if waiver is None:
        return alignment_gate(done=_done(conn, job_id), waived=None)
    marks = shelf.phase_marks(conn, job_id)
    named = {str(words).partition(":")[0] for words in json.loads(waiver.missing)}
    covers = {phase for phase in named if phase not in marks or marks[phase].id <= waiver.after_mark}
    return alignment_gate(done=_done(conn, job_id), waived=waiver.reason, covers=covers)


def closing_of(conn: sqlite3.Connection, job_id: int) -> Gate:
    """Return the gate before the job closes as it stands."""
    changes = repairs.repairs_of_job(conn, job_id)
    tested = {t.repair_id for t in repairs.quick_tests_of_job(conn, job_id)}
    ends = [f"{c.part} was {c.what}, and nothing was tested since" for c in changes[-1:] if c.id not in tested]
    for entry in intake.entries_of_job(conn, job_id):
        if entry.ended_utc is None and entry.kind in OPEN_ENDS:
            words = next(iter(json.loads(entry.detail).values()))
            ends.append(f"“{words}” is {OPEN_ENDS[entry.kind]}")
    last = (changes[-1].part, changes[-1].id) if changes else None
    return closing_gate(complaints=complaints_of(conn, job_id), last_change=last, open_ends=ends)


def waive(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Open the gate with a reason that stands in the record. Raises NotFound, FieldsRefused."""
    _need_job(conn, job_id)
    reason = form.get("reason", "").strip()
    if not reason:
        raise FieldsRefused({"reason": "Say why this set is aligned before it is known to be sound; it stands in the record."})
    missing = json.dumps(alignment_gate(done=_done(conn, job_id), waived=None).missing)
    intake.add_waiver(conn, job_id=job_id, reason=reason[:LONGEST_WORDS], missing=missing, at_utc=now_utc(conn))


def _done(conn: sqlite3.Connection, job_id: int) -> set[str]:
    return {m.phase for m in shelf.phase_marks(conn, job_id).values() if m.state == "done"}


def _need_job(conn: sqlite3.Connection, job_id: int) -> None:
    if shelf.job(conn, job_id) is None:
        raise NotFound("job", job_id)
