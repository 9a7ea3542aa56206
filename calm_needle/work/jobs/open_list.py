"""The open list of a job: everything that wants something, the worst first, each with its next act."""

import sqlite3
from typing import NamedTuple

from calm_needle.core.facts.kind import FAULT, LATER
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import journal, pick_up
from calm_needle.work.soundness import bands, due
from calm_needle.work.verification import measuring

# What the next act is called, by the page that it is done on.
ACTS = {
    "bands": "Check band",
    "dial": "Open the dial",
    "guided": "Open the guide",
    "intake": "Open intake",
    "job": "Open the job",
    "notes": "Open bench notes",
    "set_dossier": "Mend service data",
    "verify": "Measure again",
}


class Row(NamedTuple):
    """One row: the finding, the next act as its button says it, the page and its part, how soon, and its fact (0: none)."""

    words: str
    act: str
    screen: str
    rank: int
    fact: int = 0
    anchor: str = ""


def open_list(conn: sqlite3.Connection, job: JobRow) -> list[Row]:
    """Return the open list of a job."""
    found = journal.of_job(conn, job.id).open
    rows = [Row(o.want.words, o.want.act, o.want.screen, o.want.rank, o.fact.id, o.want.anchor) for o in found]
    dead = {o.fact.subject for o in found if o.fact.kind == "band check"}
    for band in bands.view(conn, job.id).lines:
        if band.verdict.state == "stop" and f"band:{band.band.id}" not in dead:
            rows.append(_row(f"{band.band.name}: {band.verdict.sentence}", "bands", FAULT))
    rows += [_row(words, "verify", FAULT) for words in measuring.outside(conn, job.id)]
    rows += [_row(line.words, line.screen, LATER) for line in pick_up.derived_open(conn, job)]
    rows += [_row(f"{look.sentence}, {look.when}", "job", LATER) for look in due.looks(conn, job) if look.state == "due"]
    return sorted(rows, key=lambda row: row.rank)


def _row(words: str, screen: str, rank: int) -> Row:
    return Row(f"{words[0].upper()}{words[1:]}", ACTS[screen], screen, rank)
