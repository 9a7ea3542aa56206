"""A job as rows of its tables, with numbers of its own in place of the store's: out of one store, and into another.

One table of tables says what belongs to a job, which columns name other rows, and which keys within a JSON column do. Numbers run from 1
in the order of the rows, so the same job gives the same rows out of any store.
"""

import bisect
import itertools
import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

Rows = list[list[Any]]


class JobTable(NamedTuple):
    """A table of which a job has rows. whose: the column by which they are found, and the table that it names; names: other columns that
    name rows, by table; within: keys of a JSON column that name rows; json: columns that hold JSON; last: columns that hold the newest row
    of a table at the time (0 for none), which need not be this job's own in the store.
    """

    name: str
    whose: str
    of: str
    names: Mapping[str, str] = {}
    json: tuple[str, ...] = ()
    within: Mapping[str, Mapping[str, str]] = {}
    last: Mapping[str, str] = {}
    numbered: bool = True


# Each behind what it names.
TABLES: tuple[JobTable, ...] = (
    JobTable("map_mark", "set_id", "radio_set"),
    JobTable("practice_fault", "set_id", "radio_set", numbered=False),
    JobTable("own_dossier_version", "set_id", "radio_set", names={"dossier_id": "dossier", "base_id": "dossier"}),
    JobTable("complaint", "job_id", "job"),
    JobTable("repair", "job_id", "job"),
    JobTable("quick_test", "repair_id", "repair"),
    JobTable("retest", "complaint_id", "complaint", last={"after_repair": "repair"}),
    JobTable("waiver", "job_id", "job", json=("missing",), last={"after_mark": "phase_mark"}),
    JobTable("intake_entry", "job_id", "job", json=("detail",), last={"after_repair": "repair"}),
    JobTable("entry_outcome", "entry_id", "intake_entry"),
    JobTable("start_entry", "job_id", "job", json=("detail",), last={"after_repair": "repair"}),
    JobTable("start_strike", "entry_id", "start_entry", numbered=False),
    JobTable("part_check", "job_id", "job", last={"after_repair": "repair"}),
    JobTable("band_check", "job_id", "job", last={"after_repair": "repair"}),
    JobTable("band_note", "job_id", "job"),
    JobTable("coverage", "job_id", "job"),
    JobTable("image_ratio", "job_id", "job"),
    JobTable("gang_reading", "job_id", "job"),
    JobTable("guided_work", "job_id", "job"),
    JobTable("guided_answer", "work_id", "guided_work", json=("answers",)),
    JobTable("guided_reading", "work_id", "guided_work"),
    JobTable("guided_end", "work_id", "guided_work", numbered=False),
    JobTable("reckoning", "job_id", "job", json=("inputs", "results")),
    JobTable("photograph", "job_id", "job"),
    JobTable("pin", "photograph_id", "photograph"),
    JobTable("pin_taken_out", "pin_id", "pin", numbered=False),
    JobTable("chosen_photograph", "photograph_id", "photograph", numbered=False),
    JobTable("phase_mark", "job_id", "job"),
    JobTable("run", "job_id", "job", names={"dossier_id": "dossier"}),
    JobTable("run_plan", "run_id", "run", json=("content",), numbered=False),
    JobTable(
        *("act", "run_id", "run"),
        json=("detail",),
        within={"detail": {"reading": "reading", "after_reading": "reading", "visit": "act"}},
        last={"after_repair": "repair"},
    ),
    JobTable("set_up", "run_id", "run", json=("detail",)),
    JobTable("reading", "run_id", "run", names={"visit_id": "act", "set_up_id": "set_up"}),
    JobTable("strike", "reading_id", "reading"),
    JobTable("recording", "job_id", "job", names={"reading_id": "reading"}, json=("judged",)),
    JobTable("recording_part", "recording_id", "recording"),
    JobTable("note", "run_id", "run", names={"visit_id": "act"}),
    JobTable("finding", "run_id", "run"),
    JobTable("measurement", "job_id", "job", json=("measured", "conditions"), last={"after_repair": "repair", "after_act": "act"}),
    JobTable("measurement_strike", "measurement_id", "measurement", numbered=False),
    JobTable("led_search", "job_id", "job", names={"measurement_id": "measurement"}, json=("asked",)),
    JobTable("led_try", "search_id", "led_search", last={"after_repair": "repair"}),
    JobTable("soak_watch", "job_id", "job"),
    JobTable("soak_entry", "watch_id", "soak_watch"),
    JobTable("beside_good", "job_id", "job"),
)
BY_NAME = {table.name: table for table in TABLES}
OF_THE_SET = ("map_mark", "practice_fault", "own_dossier_version")  # which all jobs of a set share
ROOTS = ("radio_set", "job")


class Column(NamedTuple):
    """A column of a table: its name, the kind of value, whether it may be empty; what it holds where an earlier file lacks it
    (None: it cannot lack it)."""

    name: str
    kind: str
    may_be_empty: bool
    default: str | int | None = None


def columns_of(conn: sqlite3.Connection, table: JobTable) -> list[Column]:
    """Return the columns of a table that a job's file holds: all but its own number and what only says whose it is."""
    found = conn.execute(f"SELECT name, type, [notnull], pk, dflt_value FROM pragma_table_info('{table.name}')").fetchall()
    left_out = {"id"} if table.numbered else set()
    if table.of in ROOTS:
        left_out.add(table.whose)
    return [
        Column(str(n), str(kind), not notnull and not pk, _default(given)) for n, kind, notnull, pk, given in found if n not in left_out
    ]


def _default(given: str | None) -> str | int | None:
    """What a column's DEFAULT says: a text or a whole number; None for none."""
    if given is None:
        return None
    return given[1:-1].replace("''", "'") if given.startswith("'") else int(given)


def dossiers_of(conn: sqlite3.Connection, *, job_id: int) -> list[tuple[int, str]]:
    """Return the dossiers that a job refers to, with their text: its set's, its runs', the model's own; in the order they were taken in."""
    rows = conn.execute(
        """
        SELECT id, content FROM dossier WHERE id IN (
            SELECT m.dossier_id FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id WHERE j.id = :id
            UNION SELECT s.dossier_id FROM job j JOIN radio_set s ON s.id = j.set_id WHERE j.id = :id
            UNION SELECT dossier_id FROM run WHERE job_id = :id
            UNION SELECT v.dossier_id FROM own_dossier_version v JOIN job j ON j.set_id = v.set_id WHERE j.id = :id
            UNION SELECT v.base_id FROM own_dossier_version v JOIN job j ON j.set_id = v.set_id WHERE j.id = :id)
        ORDER BY id""",
        {"id": job_id},
    )
    return [(int(i), str(content)) for i, content in rows]


def take_out(conn: sqlite3.Connection, *, job_id: int, set_id: int, dossiers: Mapping[int, int]) -> dict[str, tuple[list[str], Rows]]:
    """Return the rows of a job, table by table, with their columns; tables without rows are left out.

    dossiers: the number in the file of each dossier. JSON columns come as what they hold.
    """
    own: dict[str, list[int]] = {"radio_set": [set_id], "job": [job_id]}
    raw: dict[str, tuple[list[str], list[tuple[Any, ...]]]] = {}
    for table in TABLES:
        columns = [c.name for c in columns_of(conn, table)]
        number = "id, " if table.numbered else ""
        order = "id" if table.numbered else "rowid"
        rows = []
        ids = own.get(table.of, [])
        for some in _some(ids):
            marks = ",".join("?" * len(some))
            rows += conn.execute(
                f"SELECT {number}{', '.join(columns)} FROM {table.name} WHERE {table.whose} IN ({marks}) ORDER BY {order}", some
            ).fetchall()
        rows.sort(key=lambda r: r[0]) if table.numbered else None
        if table.numbered:
            own[table.name] = [int(r[0]) for r in rows]
            rows = [r[1:] for r in rows]
        if rows:
            raw[table.name] = columns, rows
    numbers = {name: {i: n for n, i in enumerate(ids, start=1)} for name, ids in own.items()} | {"dossier": dict(dossiers)}
    return {name: (columns, [_out(BY_NAME[name], columns, row, numbers, own) for row in rows]) for name, (columns, rows) in raw.items()}


def _some(ids: Sequence[int]) -> Iterator[list[int]]:
    for start in range(0, len(ids), 500):
        yield list(ids[start : start + 500])


def _out(
    table: JobTable, columns: Sequence[str], row: Sequence[Any], numbers: Mapping[str, Mapping[int, int]], own: Mapping[str, list[int]]
) -> list[Any]:
    out = list(row)
    for i, column in enumerate(columns):
        value = out[i]
        if value is None:
            continue
        if column == table.whose:
            out[i] = numbers[table.of][value]
        elif column in table.names:
            out[i] = numbers[table.names[column]][value]
        elif column in table.last:
            out[i] = bisect.bisect_right(own.get(table.last[column], []), value)
        elif column in table.json:
            out[i] = json.loads(value)
            for key, named in table.within.get(column, {}).items():
                if isinstance(out[i], dict) and isinstance(out[i].get(key), int):
                    out[i][key] = numbers[named].get(out[i][key], 0)
    return out


def put_in(
    conn: sqlite3.Connection,
    tables: Mapping[str, tuple[Sequence[str], Sequence[Sequence[Any]]]],
    *,
    job_id: int,
    set_id: int,
    dossiers: Mapping[int, int],
    with_set: bool,
) -> None:
    """Put a job's rows into the store. Within a transaction; what has been seen to be right.

    dossiers: the store's number of each dossier in the file; with_set: the rows of its set too, for a set that was not there before.
    """
    base = {t.name: int(conn.execute(f"SELECT coalesce(max(id), 0) FROM {t.name}").fetchone()[0]) for t in TABLES if t.numbered}
    roots = {"radio_set": set_id, "job": job_id}
    for table in TABLES:
        if table.name not in tables or (table.name in OF_THE_SET and not with_set):
            continue
        columns, rows = tables[table.name]
        owner = [table.whose] if table.of in ROOTS else []
        numbered = ["id"] if table.numbered else []
        names = [*numbered, *owner, *columns]
        first = base.get(table.name, 0)
        # Column by column: most of them go in as they are, and a large job has a million and a half values.
        new = zip(
            *([range(first + 1, first + 1 + len(rows))] if table.numbered else []),
            *([itertools.repeat(roots[table.of], len(rows))] if owner else []),
            *(_values(table, column, [row[i] for row in rows], base, dossiers) for i, column in enumerate(columns)),
            strict=True,
        )
        conn.executemany(f"INSERT INTO {table.name} ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})", new)


def _values(table: JobTable, column: str, values: list[Any], base: Mapping[str, int], dossiers: Mapping[int, int]) -> Sequence[Any]:
    """What one column of a file's rows is in this store."""
    if column == table.whose or column in table.names or column in table.last or column in table.json:
        return [_in(table, column, value, base, dossiers) for value in values]
    return values


def _in(table: JobTable, column: str, value: Any, base: Mapping[str, int], dossiers: Mapping[int, int]) -> Any:
    if value is None:
        return None
    if column == table.whose:
        return base[table.of] + value
    if column in table.names:
        named = table.names[column]
        return dossiers[value] if named == "dossier" else base[named] + value
    if column in table.last:
        return base[table.last[column]] + value if value else 0
    if column in table.json:
        for key, named in table.within.get(column, {}).items():
            if isinstance(value, dict) and isinstance(value.get(key), int) and value[key]:
                value = {**value, key: base[named] + value[key]}
        return json.dumps(value, ensure_ascii=False)
    return value


def set_of_file(conn: sqlite3.Connection, set_id: int) -> tuple[str, str, str, str, int | None]:
    """Return what a job's file says of its set: serial, owner, remarks, when it was added, its own dossier."""
    row = conn.execute("SELECT serial, owner, remarks, added_utc, dossier_id FROM radio_set WHERE id = :id", {"id": set_id}).fetchone()
    return str(row[0]), str(row[1]), str(row[2]), str(row[3]), row[4]


def dossier_of_file(conn: sqlite3.Connection, dossier_id: int) -> tuple[str, str, str]:
    """Return what a job's file says of a dossier: digest, when it was taken in, content."""
    row = conn.execute("SELECT sha256, taken_in_utc, content FROM dossier WHERE id = :id", {"id": dossier_id}).fetchone()
    return str(row[0]), str(row[1]), str(row[2])


def same_job(conn: sqlite3.Connection, *, key: str, serial: str, opened_utc: str, complaint: str) -> int | None:
    """Return the job on the same set, opened at the same moment for the same reason, or None."""
    row = conn.execute(
        """
        SELECT j.id FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id
        WHERE m.key = :key AND s.serial = :serial AND j.opened_utc = :opened_utc AND j.complaint = :complaint ORDER BY j.id LIMIT 1""",
        {"key": key, "serial": serial, "opened_utc": opened_utc, "complaint": complaint},
    ).fetchone()
    return int(row[0]) if row else None


def give_dossier(conn: sqlite3.Connection, *, set_id: int, dossier_id: int) -> None:
    """Give a set a dossier of its own. Within a transaction."""
    conn.execute("UPDATE radio_set SET dossier_id = :dossier_id WHERE id = :set_id", {"dossier_id": dossier_id, "set_id": set_id})
