"""Certificates: what stands of a job, on paper, numbered and immutable; and whether a paper still agrees with the store.

A certificate holds what was measured, with what and by which definition. What no longer stands is left off, and named as left off. Its
digest is of the data that it was made from, which it carries along.
"""

import hashlib
import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, NamedTuple

from calm_needle.clock import from_text, now_utc
from calm_needle.core.chapters import Chapter, Lines, plain
from calm_needle.core.facts.power_ups import POWER
from calm_needle.core.soundness.gate import BEFORE_ALIGNMENT
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.files.pdf import reading
from calm_needle.files.pdf.document import PAPERS, Head, Paper, write
from calm_needle.store import certificates as store
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import intake, journal, oscillator
from calm_needle.work.jobs.dial import dial_errors
from calm_needle.work.jobs.shelf import job_of, model_of_dossier, phases_of
from calm_needle.work.jobs.unmet import left_unmet
from calm_needle.work.record import job_record
from calm_needle.work.soundness import bands, parts_sweep
from calm_needle.work.verification import measuring

FORMAT = "calm-needle/certificate/1"
ON_IT = (
    "parts",
    "bands",
    "coils",
    "intermediate frequency",
    "oscillator and dial",
    "front end",
    "left alone",
    "open",
    "photographs",
    "how",
)
LONGEST_REASON = 200
Agreement = Literal["agrees", "superseded", "moved on", "altered", "not issued here"]


@dataclass(frozen=True)
class Issued:
    """A certificate as pages list it."""

    number: int
    issued_utc: str
    digest: str
    superseded_by: int | None
    reason: str


@dataclass(frozen=True)
class Draft:
    """What a certificate would hold now: its chapters, what is left off and why, what it lacks."""

    job: JobRow
    chapters: list[Chapter]
    left_off: list[str]
    lacks: list[str]
    nothing: bool

    @property
    def content(self) -> dict[str, Any]:
        """The data that its digest is of."""
        return {
            "format": FORMAT,
            "set": {"model": self.job.model_name, "serial": self.job.serial},
            "job": {"number": self.job.id, "opened": self.job.opened_utc[:10]},
            "chapters": plain(self.chapters),
            "left_off": self.left_off,
        }


class Lack(NamedTuple):
    """Something that a certificate lacks: the chapter that it qualifies, and what it is, in words."""

    chapter: str
    words: str


class Checked(NamedTuple):
    """Whether a certificate's file agrees with the store, in a word, a sentence, and what differs."""

    agreement: Agreement
    sentence: str
    differences: tuple[str, ...] = ()


def draft(conn: sqlite3.Connection, job_id: int) -> Draft:
    """Return what a certificate would hold now. Raises NotFound."""
    record = job_record.record_of(conn, job_id)
    by_name = {c.name: c for c in record.chapters}
    standing = [t for t in measuring.standing(conn, job_id) if not t.by_ear]
    closed = {t.key for t in standing if t.cover == "on"}
    final = [t for t in standing if t.cover == "on" or t.key not in closed]
    verified = Chapter("verification", "Verified", job_record.measured_blocks(final, conn, job_id), empty="Nothing was verified.")
    lacking = lacks(conn, job_id)
    chapters = [_qualified(verified, lacking)]
    left_off = []
    for name in ON_IT:
        chapter = by_name[name]
        if chapter.stale:
            left_off.append(f"{chapter.title}: {chapter.stale}")
        elif chapter.blocks:
            chapters.append(_qualified(chapter, lacking))
    left_off += [f"{t.measure.title} {t.band_name}: {t.stale}" for t in measuring.taken(conn, job_id) if t.stale and not t.struck]
    if left_off:
        chapters.append(Chapter("left off", "Not on this certificate", (Lines("", tuple(dict.fromkeys(left_off))),)))
    return Draft(record.job, chapters, list(dict.fromkeys(left_off)), [lack.words for lack in lacking], not final)


def _qualified(chapter: Chapter, lacking: Sequence[Lack]) -> Chapter:
    """A chapter with what it lacks at its head."""
    here = tuple(lack.words for lack in lacking if lack.chapter == chapter.name)
    return chapter._replace(blocks=(Lines("Lacking", here), *chapter.blocks)) if here else chapter


def lacks(conn: sqlite3.Connection, job_id: int) -> list[Lack]:
    """Return what a certificate still lacks: phases not done, waived or left outside their limits, rails and parts out of tolerance, parts
    not measured, bands that fail, measurements, retests, what was left open."""
    job = job_of(conn, job_id)
    out = []
    for p in phases_of(conn, job):
        if p.state == "running" or (p.state != "done" and (p.can_run or p.name in BEFORE_ALIGNMENT)):
            out.append(Lack(p.name, f"{p.name}: {'not finished' if p.state == 'running' else 'not done'}"))
    out += [Lack("safe start", o.want.words) for o in journal.of_job(conn, job_id).open if o.fact.kind in POWER]
    gate = intake.gate_of(conn, job_id)
    if gate.waived and gate.missing:
        out.append(Lack("left alone", f"checks before alignment waived: {gate.waived}"))
    out += [Lack(u.phase, u.words) for u in left_unmet(conn, job_id)]
    model = model_of_dossier(conn, job.dossier_id)
    off = [e for e in dial_errors(conn, job_id, model) if not e.within]
    out += [Lack("oscillator and dial", f"dial error on {e.band_name}: {e.words}") for e in off]
    sweep = parts_sweep.view(conn, job_id)
    if sweep.counted.blank:
        out.append(Lack("parts", f"{sweep.counted.parts - sweep.counted.blank} of {sweep.counted.parts} parts measured"))
    wrong = [line.part.name for _, lines, _ in sweep.regions for line in lines if line.verdict.state == "out"]
    if wrong:
        out.append(Lack("parts", f"out of tolerance: {', '.join(wrong)}"))
    out += [Lack("bands", f"{b.band.name}: {b.verdict.sentence}") for b in bands.view(conn, job_id).lines if b.verdict.state == "stop"]
    covered = oscillator.view(conn, job_id, model).covered
    if covered.state in ("watch", "stop"):
        out.append(Lack("bands", f"oscillator: {covered.sentence}"))
    out += [Lack("verification", words) for words in (*measuring.outside(conn, job_id), *measuring.lacks(conn, job_id))]
    return [*out, *(Lack("intake", words) for words in intake.closing_of(conn, job_id).missing)]


def digest_of(content: Any) -> str:
    """Return the SHA-256 of data as JSON with sorted keys and no spaces."""
    return hashlib.sha256(json.dumps(content, ensure_ascii=False, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def issue(conn: sqlite3.Connection, job_id: int, form: dict[str, str], *, pictures: Path | None = None) -> int:
    """Issue a certificate of a job (paper, reason) and return its number; it supersedes the one before. pictures: where photographs lie.

    Raises NotFound; FieldsRefused where nothing was verified, or something is lacking and no reason is given. Whole or not at all.
    """
    paper: Paper = "letter" if form.get("paper") == "letter" else "A4"
    reason = form.get("reason", "").strip()[:LONGEST_REASON]
    issued_utc = now_utc(conn)
    with transaction(conn):  # what is read here is what stands when the number is given
        made = draft(conn, job_id)
        if made.nothing:
            raise FieldsRefused({"reason": "Nothing stands that was verified: a certificate of nothing is not issued."})
        if made.lacks and not reason:
            why = f"It lacks something ({made.lacks[0]}). Say why it is issued all the same: that stands on it."
            raise FieldsRefused({"reason": why})
        content = {**made.content, **({"issued_though": {"lacking": made.lacks, "reason": reason}} if made.lacks else {})}
        digest = digest_of(content)
        number = store.next_number(conn)
        earlier = store.of_job(conn, job_id)
        before = earlier[-1].id if earlier else None
        pdf = _paper(made, number, digest, content, paper=paper, issued_utc=issued_utc, before=before, reason=reason, pictures=pictures)
        store.add(
            conn,
            number=number,
            job_id=job_id,
            digest=digest,
            content=json.dumps(content, ensure_ascii=False),
            pdf=pdf,
            pdf_sha256=hashlib.sha256(pdf).hexdigest(),
            supersedes=before,
            reason=reason,
            issued_utc=issued_utc,
        )
    return number


def _paper(
    made: Draft,
    number: int,
    digest: str,
    content: dict[str, Any],
    *,
    paper: Paper,
    issued_utc: str,
    before: int | None,
    reason: str,
    pictures: Path | None,
) -> bytes:
    lines = [
        f"Certificate no. {number}, {issued_utc[:10]}" + (f"; it takes the place of no. {before}" if before else ""),
        f"Job {made.job.id}, opened {made.job.opened_utc[:10]}",
        f"Digest of its data: {digest[:16]} {digest[16:32]} {digest[32:48]} {digest[48:]}",
    ]
    chapters = list(made.chapters)
    if made.lacks:
        though = Chapter("though", "Issued though this is lacking", (Lines("", (*made.lacks, f"Because: {reason}")),))
        chapters.insert(0, though)
    head = Head(
        "Certificate of measurement",
        f"{made.job.model_name}, no. {made.job.serial}",
        tuple(lines),
        f"Certificate no. {number} · {made.job.model_name} no. {made.job.serial} · {digest[:12]}",
        reading.keywords(number, digest),
    )
    data = json.dumps(content, ensure_ascii=False, indent=1).encode()
    return write(head, chapters, paper=paper, at=from_text(issued_utc), attached=[(reading.DATA_NAME, data)], pictures=pictures)


def listed(conn: sqlite3.Connection, job_id: int) -> list[Issued]:
    """Return a job's certificates, the newest first. Raises NotFound."""
    job_of(conn, job_id)
    rows = store.of_job(conn, job_id)
    return [Issued(r.id, r.issued_utc, r.digest, store.superseded_by(conn, r.id), r.reason) for r in reversed(rows)]


def pdf_of(conn: sqlite3.Connection, number: int) -> bytes:
    """Return a certificate's PDF as it was issued. Raises NotFound."""
    content = store.pdf_of(conn, number)
    if content is None:
        raise NotFound("certificate", number)
    return content


def check(conn: sqlite3.Connection, content: bytes, *, name: str) -> Checked:
    """Return whether a certificate's file still agrees with the store. Raises FileRefused for what is none."""
    carried = reading.read_certificate(content, name=name)
    if digest_of(carried.data) != carried.digest:
        return Checked("altered", f"Certificate no. {carried.number} was altered: its data no longer has the digest that it names.")
    row = store.certificate(conn, carried.number)
    if row is None or row.digest != carried.digest:
        return Checked("not issued here", f"Its data has its digest, but this store has issued no such certificate no. {carried.number}.")
    if hashlib.sha256(content).hexdigest() != row.pdf_sha256:
        return Checked("altered", f"Certificate no. {carried.number} was altered: it is not the file that was issued, though its data is.")
    if later := store.superseded_by(conn, row.id):
        return Checked("superseded", f"Certificate no. {row.id} is as it was issued, and no. {later} has taken its place.")
    now = draft(conn, row.job_id).content
    then = {k: v for k, v in carried.data.items() if k != "issued_though"}
    if digest_of(then) != digest_of(now):
        differences = _differences(then, now) or ("something in it that no line tells",)
        return Checked("moved on", f"Certificate no. {row.id} is as it was issued; the job has moved on since.", differences)
    return Checked("agrees", f"Certificate no. {row.id} agrees with the store.")


def _differences(then: dict[str, Any], now: dict[str, Any]) -> tuple[str, ...]:
    """What differs, in words: chapter and table, with the row's name."""
    before, after = _flat(then), _flat(now)
    out = []
    for key in dict.fromkeys((*before, *after)):
        if before.get(key) != after.get(key):
            was, is_now = before.get(key, "not there"), after.get(key, "no longer there")
            out.append(f"{key}: {was}, now {is_now}")
    return tuple(out)


def _flat(content: dict[str, Any]) -> dict[str, str]:
    out: dict[str, str] = {}
    for chapter in content.get("chapters", ()):
        for block in chapter["blocks"]:
            where = f"{chapter['title']}, {block['title']}" if block["title"] else chapter["title"]
            for row in block.get("rows", ()):
                out[f"{where}, {row['name']}"] = "; ".join(_cell(c) for c in row["cells"])
            if "lines" in block:
                out[where] = " · ".join(block["lines"])
            if "curves" in block:
                out[f"{where}, curve"] = f"one of {sum(len(c['points']) for c in block['curves'])} points, {digest_of(block['curves'])[:8]}"
            for photograph in block.get("photographs", ()):
                out[f"{where}, {photograph['sha256'][:8]}"] = "; ".join((photograph["caption"], *photograph["pins"]))
    return out


def _cell(cell: Any) -> str:
    return f"{cell['value']!r} {cell['unit']}" if isinstance(cell, dict) else str(cell or "")


__all__ = ["PAPERS", "Checked", "Draft", "Issued", "check", "draft", "issue", "lacks", "listed", "pdf_of"]
