"""Sets, jobs and readings out of a spreadsheet: columns matched, what would happen shown row by row; taken in whole or not at all."""

import re
import sqlite3
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from pathlib import Path
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.errors import FieldsRefused, FileRefused, JobMovedOn, NotFound
from calm_needle.files.table_csv import SheetTable, read_table
from calm_needle.store import shelf as store
from calm_needle.store.db import transaction
from calm_needle.store.trial import trial
from calm_needle.work.jobs import incoming, shelf
from calm_needle.work.jobs.shelf import model_of_dossier
from calm_needle.work.soundness import parts_sweep
from calm_needle.work.soundness.bands import usual_coupling
from calm_needle.work.verification import measuring

SUFFIX = "csv"
LONGEST = 400  # letters of a cell


class Target(NamedTuple):
    """What a column may be matched with: its key, its title, what its name looks like, whether a row must have it."""

    key: str
    title: str
    looks_like: re.Pattern[str]
    needed: bool = False


Values = Mapping[str, str]
Did = tuple[str, Mapping[str, int]]  # in words, and how many new things of which sort


class RowKind(NamedTuple):
    """What the rows of a table may be: do() does one row within a transaction, and raises FieldsRefused or NotFound where it cannot."""

    name: str
    title: str
    targets: tuple[Target, ...]
    do: Callable[[sqlite3.Connection, Values], Did]


class RowPlan(NamedTuple):
    """What taking in a row would do, in words, and why it cannot be done; values: by target."""

    line: int
    values: Values
    words: str
    faults: tuple[str, ...]


class SheetPlan(NamedTuple):
    """What taking a table in would do: its columns, which is matched with what, each row, and whether all can be taken in."""

    name: str
    held: str
    kind: RowKind
    columns: tuple[str, ...]
    matched: Mapping[str, int | None]
    rows: list[RowPlan]
    faults: list[str]

    @property
    def ready(self) -> bool:
        return bool(self.rows) and not self.faults and not any(r.faults for r in self.rows)

    @property
    def wrong(self) -> int:
        return sum(bool(r.faults) for r in self.rows)


def bring(folder: Path, content: bytes, *, name: str) -> str:
    """Hold a table that can be read, and return the digest by which it is asked for. Raises FileRefused, StoreUnusable."""
    read_table(content, name=name)
    return incoming.hold(folder, content, suffix=SUFFIX)


def plan(conn: sqlite3.Connection, folder: Path, form: Values) -> SheetPlan:
    """Return what taking in a held table would do (held, name; kind; match-TARGET: a column's number, 0 for none). Raises FieldsRefused.

    All of it is done in a copy of the store, so that what is shown is what will happen, and nobody waits for it.
    """
    name, kind, table = _asked(folder, form)
    matched = _matched(table, kind, form)
    faults = [f"Say which column is the {t.title.lower()}." for t in kind.targets if t.needed and matched[t.key] is None]
    rows: list[RowPlan] = []
    if not faults:
        with trial(conn) as copy, transaction(copy):
            rows, _ = _do_all(copy, kind, table, matched)
    return SheetPlan(name, form.get("held", ""), kind, table.columns, matched, rows, faults)


def take_in(conn: sqlite3.Connection, folder: Path, form: Values) -> Mapping[str, int]:
    """Take in a held table as its plan says, and return how many sets, jobs and readings came of it. Raises FieldsRefused; nothing is
    kept then.
    """
    _, kind, table = _asked(folder, form)
    matched = _matched(table, kind, form)
    faults = [f"Say which column is the {t.title.lower()}." for t in kind.targets if t.needed and matched[t.key] is None]
    if not faults:  # what cannot be taken in is found out where nobody waits for it
        with trial(conn) as copy, transaction(copy):
            _refuse_what_is_wrong(_do_all(copy, kind, table, matched)[0], faults)
    with transaction(conn):
        rows, made = ([], Counter()) if faults else _do_all(conn, kind, table, matched)
        _refuse_what_is_wrong(rows, faults)
    incoming.let_go(folder, form.get("held", ""), suffix=SUFFIX)
    return made


def _refuse_what_is_wrong(rows: Sequence[RowPlan], faults: Sequence[str]) -> None:
    wrong = [f"Line {r.line}: {' '.join(r.faults)}" for r in rows if r.faults]
    if faults or wrong or not rows:
        raise FieldsRefused({"table": " ".join([*faults, *wrong[:20]]) or "There is no row in it."})


def _asked(folder: Path, form: Values) -> tuple[str, RowKind, SheetTable]:
    name = form.get("name", "")[:80] or "the table"
    content = incoming.held(folder, form.get("held", ""), suffix=SUFFIX)
    try:
        return name, KINDS.get(form.get("kind", ""), KINDS["sets"]), read_table(content, name=name)
    except FileRefused as refused:
        raise FieldsRefused({"table": str(refused)}) from None


def _matched(table: SheetTable, kind: RowKind, form: Values) -> dict[str, int | None]:
    """Which column is which: as it was said; where nothing was, by its name, each column once."""
    said = any(f"match-{t.key}" in form for t in kind.targets)
    out: dict[str, int | None] = {}
    for target in kind.targets:
        if said:
            number = form.get(f"match-{target.key}", "0")
            n = int(number) if re.fullmatch(r"[0-9]{1,3}", number) else 0
            out[target.key] = n - 1 if 1 <= n <= len(table.columns) else None
        else:
            free = (i for i, c in enumerate(table.columns) if target.looks_like.search(c) and i not in out.values())
            out[target.key] = next(free, None)
    return out


def _do_all(
    conn: sqlite3.Connection, kind: RowKind, table: SheetTable, matched: Mapping[str, int | None]
) -> tuple[list[RowPlan], Counter[str]]:
    """Do every row. Within a transaction, which whoever began it ends or takes back."""
    out: list[RowPlan] = []
    made: Counter[str] = Counter()
    for line, cells in zip(table.lines, table.rows, strict=True):
        values = {key: " ".join(cells[i].split()) if i is not None else "" for key, i in matched.items()}
        faults = [f"{t.title}: longer than {LONGEST} letters." for t in kind.targets if len(values[t.key]) > LONGEST]
        words = ""
        if not faults:
            try:
                words, came = kind.do(conn, values)
                made.update(came)
            except FieldsRefused as refused:
                asked = {
                    field: f"Is {meant} meant? Write it with its unit in the sheet, and it is taken as it stands."
                    for field, meant in refused.meant.items()
                }
                faults = list({**refused.faults, **asked}.values())
            except (NotFound, JobMovedOn) as fault:
                faults = [str(fault)]
        out.append(RowPlan(line, values, words, tuple(faults)))
    return out, made


def _set_and_job(conn: sqlite3.Connection, v: Values) -> Did:
    """A set, where it is not here yet, and a job on it, where something is complained of."""
    model = _model(conn, v["model"])
    faults = {}
    if model is None:
        named = f"There is no model “{v['model'][:60]}” here" if v["model"] else "It names no model"
        faults["model"] = f"{named}: bring in its dossier, or sketch it, first."
    if not v["serial"]:
        faults["serial"] = "It has no number that tells the set from another."
    if v["opened"] and not _is_day(v["opened"]):
        faults["opened"] = f"“{v['opened'][:20]}” is no day that has been, written as 2026-03-31."
    if faults or model is None:
        raise FieldsRefused(faults)
    at_utc = f"{v['opened']}T09:00:00.000Z" if v["opened"] else now_utc(conn)
    set_id = store.set_of_serial(conn, model_id=model.id, serial=v["serial"])
    known = set_id is not None
    if set_id is None:
        set_id = store.add_set(conn, model_id=model.id, serial=v["serial"], owner=v["owner"], remarks=v["remarks"], at_utc=at_utc)
    if v["complaint"]:
        shelf.open_job_for(conn, set_id=set_id, complaints=[v["complaint"]], bench="typed", at_utc=at_utc)
    which = "A set that is here already" if known else "A new set"
    what = "with a job" if v["complaint"] else "nothing new" if known else "without a job"
    return f"{which}, {what}", {"sets": int(not known), "jobs": int(bool(v["complaint"]))}


def _part_reading(conn: sqlite3.Connection, v: Values) -> Did:
    """What a part of a job's set measured."""
    line = parts_sweep.enter(conn, _job(v), {"part": _part(conn, v), "value": v["value"], "sure-value": _sure(v["value"])}, earlier=True)
    return f"{line.part.name}: {line.verdict.sentence}", {"readings": 1}


def _sensitivity(conn: sqlite3.Connection, v: Values) -> Did:
    """A sensitivity that was measured by hand."""
    job_id = _job(v)
    model = model_of_dossier(conn, shelf.job_of(conn, job_id).dossier_id)
    band = next((b.id for b in model.bands if v["band"].casefold() in (b.id.casefold(), b.name.casefold())), "")
    form = {
        "band": band,
        "level_v": v["level_v"],
        "definition": measuring.definition_called(v["definition"]),
        "coupling": v["coupling"] or usual_coupling(model),
        "at_hz": v["at_hz"],
    }
    measuring.write_down(
        conn, job_id, "sensitivity", {**form, "cover": v["cover"].casefold(), "sure-level_v": _sure(v["level_v"]), "was_on": "yes"}
    )
    return f"Sensitivity on {band} of job {job_id}", {"readings": 1}


def _sure(text: str) -> str:
    """What was written with its unit is meant: nobody can be asked at a sheet."""
    return text if text.endswith(("Ω", "ohm", "F", "V")) else ""


def _job(v: Values) -> int:
    text = v["job"].removeprefix("#")
    if not re.fullmatch(r"[0-9]{1,9}", text):
        raise FieldsRefused({"job": f"“{v['job'][:20]}” is no number of a job."})
    return int(text)


def _part(conn: sqlite3.Connection, v: Values) -> str:
    """The part that a cell names, whatever the case."""
    job = shelf.job_of(conn, _job(v))
    wanted = v["part"].casefold()
    return next((p.id for p in shelf.parts_of_job(conn, job) if wanted in (p.id.casefold(), p.name.casefold())), v["part"])


def _model(conn: sqlite3.Connection, words: str) -> store.ModelRow | None:
    """The model that a cell names, by its key or its name, whatever the case."""
    wanted = words.casefold()
    return next((m for m in store.models(conn) if wanted in (m.key.casefold(), m.name.casefold())), None)


def _is_day(text: str) -> bool:
    if not re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", text):
        return False
    try:
        return date.fromisoformat(text) <= date.today()
    except ValueError:
        return False


def _like(words: str) -> re.Pattern[str]:
    return re.compile(words, re.IGNORECASE)


JOB = Target("job", "Number of the job", _like(r"\bjob\b|\bno\b|number"), needed=True)
KINDS: dict[str, RowKind] = {
    k.name: k
    for k in (
        RowKind(
            "sets",
            "Sets and jobs",
            (
                Target("model", "Model", _like(r"model|type|receiver"), needed=True),
                Target("serial", "Number of the set", _like(r"serial|number|\bno\b|s/n"), needed=True),
                Target("owner", "Owner", _like(r"owner|customer|from|name")),
                Target("complaint", "What is complained of", _like(r"complain|fault|problem|wanted|wrong|trouble|symptom")),
                Target("opened", "Day the job was opened", _like(r"opened|date|day|received")),
                Target("remarks", "Remarks on the set", _like(r"remark|note|comment")),
            ),
            _set_and_job,
        ),
        RowKind(
            "parts",
            "Parts that were measured",
            (
                JOB,
                Target("part", "Part", _like("part|component|ref"), needed=True),
                Target("value", "Measured", _like("meas|value|read"), needed=True),
            ),
            _part_reading,
        ),
        RowKind(
            "sensitivities",
            "Sensitivities",
            (
                JOB,
                Target("band", "Band", _like("band|range"), needed=True),
                Target("definition", "By which definition", _like("defin|criter|by"), needed=True),
                Target("level_v", "Level needed", _like("level|sensi|volt|needed"), needed=True),
                Target("at_hz", "At which frequency", _like("freq|at")),
                Target("coupling", "Generator coupled by", _like("coupl|dummy|aerial")),
                Target("cover", "Covers, on or off", _like("cover|closed|cabinet")),
            ),
            _sensitivity,
        ),
    )
}
