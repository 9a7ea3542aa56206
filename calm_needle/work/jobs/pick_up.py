"""Where a job was left: what was last read, what is open or only suspected, what waits, what falls due."""

import json
import math
import sqlite3
from dataclasses import dataclass

from calm_needle.core.dossier.chassis_map import strangers_moved
from calm_needle.core.dossier.fit import misfits
from calm_needle.core.facts.kind import UNTESTED
from calm_needle.core.quantities import format_plain, format_si
from calm_needle.core.soundness.due import Look
from calm_needle.core.soundness.parts_sweep import shown as part_shown
from calm_needle.store import band_checks, part_checks, photographs, runs, starts
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import drafts, entries, journal, oscillator
from calm_needle.work.jobs.intake import complaints_of
from calm_needle.work.jobs.shelf import model_of_dossier
from calm_needle.work.jobs.unmet import left_unmet
from calm_needle.work.soundness import bands, due, guided
from calm_needle.work.soundness.bands import NOT_REACHED

LAST_SHOWN = 4
PICTURES_SHOWN = 6
OFFERS_SHOWN = 2
SHOWN_APART = ("band check",)  # kinds of fact whose wants are shown under bands


@dataclass(frozen=True)
class Line:
    """One thing on the list: words, and where to go for it (screen name)."""

    words: str
    screen: str


@dataclass(frozen=True)
class PickUp:
    """What stands on a job's first screen."""

    last: list[tuple[str, str, str]]  # when, words, screen
    open: list[Line]
    offers: list[Line]  # of guided work, by what was read
    failing: list[Line]  # bands that are not as they should be
    suspected: list[Line]
    predicted: list[Line]
    looks: list[Look]
    pictures: list[photographs.PhotographRow]
    picture_count: int
    half_typed: int

    @property
    def anything(self) -> bool:
        """Whether there is anything to say yet."""
        return bool(self.last or self.open or self.offers or self.failing or self.suspected or self.predicted or self.looks)


def pick_up(conn: sqlite3.Connection, job: JobRow) -> PickUp:
    """Return where a job was left."""
    still = entries.still_open(conn, job.id)
    pictures = photographs.photographs_of_job(conn, job.id)
    return PickUp(
        _last(conn, job),
        _open(conn, job, still),
        [Line(f"{o.because[0].rstrip('.')}: guided work “{o.piece.title}”", "guided") for o in guided.offered(conn, job)[:OFFERS_SHOWN]],
        [Line(f"{b.band.name}: {b.verdict.sentence}", "bands") for b in bands.view(conn, job.id).lines if b.verdict.state == "stop"],
        [Line(f"{e.detail['what']}: {e.detail['test']} would settle it", "notes") for e in still.get("suspicion", ())]
        + [Line(f"{e.detail['worry']}: {e.detail['tests']} would settle it", "notes") for e in still.get("worry", ())],
        [
            Line(f"{e.detail['quantity']} to {e.detail['expected']}, {e.detail['by']}; look {e.detail['when']}", "notes")
            for e in still.get("prediction", ())
        ],
        due.looks(conn, job),
        pictures[-PICTURES_SHOWN:],
        len(pictures),
        len(drafts.of_job(conn, job.id)),
    )


def _last(conn: sqlite3.Connection, job: JobRow) -> list[tuple[str, str, str]]:
    """What was read last, newest first: rails, parts, bands, the last run."""
    model = model_of_dossier(conn, job.dossier_id)
    found: list[tuple[str, str, str]] = []
    points = {p["id"]: p["name"] for stage in model.stages for p in stage.test_points}
    for row in starts.entries(conn, job.id)[-LAST_SHOWN:]:
        detail = json.loads(row.detail)
        if row.kind == "rail":
            words = f"{points.get(detail['point'], detail['point'])} {format_plain(detail['v'], unit='V')}"
            found.append((row.at_utc, words, "start"))
        elif row.kind == "current":
            found.append((row.at_utc, f"current in {format_si(detail['a'], unit='A', digits=3)}", "start"))
        elif row.kind == "smoke":
            found.append((row.at_utc, "stopped: smoke, arcing or a hot smell", "start"))
    parts = {p.id: p for p in model.parts}
    for check in part_checks.part_checks(conn, job.id)[-LAST_SHOWN:]:
        if check.part in parts:
            value = math.inf if check.value is None else check.value
            found.append((check.at_utc, f"{check.part} {part_shown(parts[check.part], value)}", "parts"))
    names = {b.id: b.name for b in model.bands}
    for band in band_checks.band_checks(conn, job.id)[-LAST_SHOWN:]:
        found.append((band.at_utc, f"{names.get(band.band, band.band)}, {band.kind}: {band.heard or _band_value(band)}", "bands"))
    of_job = runs.runs_of_job(conn, job.id)
    if of_job and (reading := runs.last_reading(conn, of_job[-1].id)):
        value_si, unit, at_utc = reading
        found.append((at_utc, f"{of_job[-1].phase}: {format_plain(value_si, unit=unit)}", "job"))
    return sorted(found, reverse=True)[:LAST_SHOWN]


def _open(conn: sqlite3.Connection, job: JobRow, still: dict[str, list[entries.Entry]]) -> list[Line]:
    out = found_open(conn, job)
    out += [
        Line(f"{e.detail['band']} came alive when {e.detail['adjuster']} was turned: cause unproven", "notes")
        for e in still.get("revived", ())
    ]
    strangers = strangers_moved(model_of_dossier(conn, job.dossier_id), entries.moved(conn, job.id))
    for e in still.get("moved", ()):
        stranger = ": of another system or unknown, so back to its mark" if e.detail["adjuster"] in strangers else ""
        out.append(Line(f"{e.detail['adjuster']} was moved by {e.detail['net']} turns{stranger}", "notes"))
    if off := still.get("came off"):
        out.append(Line(f"off the set: {', '.join(e.detail['item'] for e in reversed(off))}", "notes"))
    out += [Line(f"complaint tried and still there: {c.words}", "job") for c in complaints_of(conn, job.id) if c.retests and not c.settled]
    return out + derived_open(conn, job)


def derived_open(conn: sqlite3.Connection, job: JobRow) -> list[Line]:
    """Return what is open of a job beside its own facts: by its guides, its runs and its service data."""
    out = [Line(f"{piece.title}: {said.sentence}", "guided") for _, piece, said in guided.findings(conn, job.id)]
    model = model_of_dossier(conn, job.dossier_id)
    runs_where = oscillator.view(conn, job.id, model).covered
    if runs_where.state in ("watch", "stop"):
        out.append(Line(f"oscillator: {runs_where.sentence}", "dial"))
    out += [Line(u.words, "job") for u in left_unmet(conn, job.id)]
    unfit = misfits(model)
    out += [Line(f"step “{m.title}” does not fit this set: {m.why}", "set_dossier") for m in unfit]
    # Where turns are counted, the first reading at each adjuster is its place as found; where nobody counts them, somebody writes it down.
    if runs.turned_uncounted(conn, job.id) and not entries.of_kind(conn, job.id, "as found"):
        out.append(Line("adjusters were turned uncounted, and no place is noted as found", "notes"))
    out += [Line(f"targets from {p.detail['title']} are unverified", "intake") for p in entries.unverified(conn, job.id)]
    return out


def found_open(conn: sqlite3.Connection, job: JobRow) -> list[Line]:
    """Return what the readings and repairs of a job leave to be done, whether the set is on or off now; the worst first."""
    found = journal.of_job(conn, job.id).open
    return [Line(o.want.words, o.want.screen) for o in found if o.want.rank <= UNTESTED and o.fact.kind not in SHOWN_APART]


def _band_value(row: band_checks.BandCheckRow) -> str:
    unit, none = ("Ω", "open") if row.kind == "coil" else ("V", NOT_REACHED)
    return none if row.value is None else format_si(row.value, unit=unit, digits=3)
