"""A job's file: JSON with a digest over its content. The same job gives the same bytes; refused whole when anything is wrong.

{"format": "calm-needle/job", "version": 1, "digest": SHA-256 of the content as it stands in the file, "content": {…}}

Rows stand one a line, in the order of their columns. Photographs are JPEG in base64, by their digest.
"""

import base64
import binascii
import hashlib
import json
import math
import re
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from calm_needle.core.doubled import first_doubled
from calm_needle.errors import Fault, FileRefused

FORMAT, VERSION = "calm-needle/job", 1
LARGEST_BYTES = 250_000_000
MOST_VALUES = 16_000_000  # a million readings; of nothing but brackets, a file of that length would need all of a machine's memory
MOST_FAULTS, MOST_ROWS = 20, 2_000_000
LONGEST_TEXT = 500_000
DEEPEST = 40
DIGEST = re.compile(r"[0-9a-f]{64}")
NOTHING = type(None)
LARGEST = 2**53  # no whole number beyond it is kept exactly by every reader of JSON
PLAIN_TYPES: dict[str, set[type]] = {"TEXT": {str, NOTHING}, "INTEGER": {int, NOTHING}, "REAL": {int, float, NOTHING}}
HEADS: dict[str, dict[str, tuple[type, ...]]] = {  # what stands at the top of a job, and of what kind
    "model": {"key": (str,), "name": (str,)},
    "set": {"serial": (str,), "owner": (str,), "remarks": (str,), "added_utc": (str,), "dossier": (int, NOTHING)},
    "job": {"complaint": (str,), "bench": (str,), "opened_utc": (str,)},
}


class Columns(NamedTuple):
    """What a table's columns may hold: by name, the kind of value, whether it may be empty; JSON columns; which columns name which table's
    rows, and which hold the newest row of a table (0 for none); added: what those hold that a file of an earlier program may lack."""

    kinds: Mapping[str, tuple[str, bool]]
    json: tuple[str, ...]
    names: Mapping[str, str]
    last: Mapping[str, str]
    numbered: bool
    added: Mapping[str, str | int | None] = {}


class JobFile(NamedTuple):
    """What a job's file holds: model, set and job as rows; dossiers; tables with columns and rows; photographs by digest."""

    model: dict[str, Any]
    radio_set: dict[str, Any]
    job: dict[str, Any]
    dossiers: list[dict[str, Any]]
    tables: dict[str, tuple[list[str], list[list[Any]]]]
    photographs: dict[str, bytes]
    digest: str


def write_job(
    *,
    model: Mapping[str, Any],
    radio_set: Mapping[str, Any],
    job: Mapping[str, Any],
    dossiers: Sequence[Mapping[str, Any]],
    tables: Mapping[str, tuple[Sequence[str], Sequence[Sequence[Any]]]],
    photographs: Mapping[str, bytes],
) -> bytes:
    """Return a job as the bytes of its file."""
    parts = ['{"model":', _line(model), ',\n"set":', _line(radio_set), ',\n"job":', _line(job), ',\n"dossiers":[\n']
    parts.append(",\n".join(_line(d) for d in dossiers))
    parts.append('\n],\n"tables":{\n')
    written = []
    for name, (columns, rows) in tables.items():
        lines = ",\n".join(map(_line, rows))
        written.append(f'{_line(name)}:{{"columns":{_line(columns)},"rows":[\n{lines}\n]}}')
    parts.append(",\n".join(written))
    parts.append('\n},\n"photographs":{\n')
    parts.append(",\n".join(f"{_line(sha)}:{_line(base64.b64encode(jpeg).decode())}" for sha, jpeg in sorted(photographs.items())))
    parts.append("\n}}")
    content = "".join(parts)
    digest = hashlib.sha256(content.encode()).hexdigest()
    return f'{{"format":{_line(FORMAT)},"version":{VERSION},"digest":"{digest}","content":\n{content}\n}}\n'.encode()


def read_job(content: bytes, *, name: str, tables: Mapping[str, Columns]) -> JobFile:
    """Return what a job's file holds. tables: what each table may hold. Raises FileRefused with all faults, MOST_FAULTS at most."""
    if len(content) > LARGEST_BYTES:
        raise _refused(name, f"it is {len(content)} bytes long; a job's file has at most {LARGEST_BYTES}")
    if (values := sum(map(content.count, (b",", b"[", b"{")))) > MOST_VALUES:
        raise _refused(name, f"it holds some {values // 10**6} million values; a job’s file has at most {MOST_VALUES // 10**6} million")
    try:
        text = content.decode("utf-8-sig")
        data = json.loads(text, object_pairs_hook=_no_doubles, parse_constant=_no_constant, parse_float=_finite)
    except UnicodeDecodeError as fault:
        raise _refused(name, f"it is not UTF-8 text (byte {fault.start})") from None
    except json.JSONDecodeError as fault:
        raise _refused(name, f"this is not whole JSON: {fault.msg}", f"line {fault.lineno}, column {fault.colno}") from None
    except RecursionError:
        raise _refused(name, "it is nested too deeply to be a job") from None
    except ValueError as fault:
        raise _refused(name, str(fault)) from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise _refused(name, f"it is no job's file: its format is not {FORMAT}")
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise _refused(name, "its version is no number", "version")
    if version > VERSION:
        raise _refused(
            name, f"it was written by a newer Calm Needle (version {version}; this one reads {VERSION}). Use the newer program", "version"
        )
    faults = _Faults()
    body = data.get("content")
    if not isinstance(body, dict):
        raise _refused(name, "there is no content", "content")
    _digest(text, data.get("digest"), faults)
    out = _content(body, tables, faults)
    if faults.found or out is None:
        raise FileRefused(name, faults.found or [Fault("content", "it cannot be read")])
    return out._replace(digest=str(data["digest"]))


def schema_of(tables: Mapping[str, Columns]) -> dict[str, Any]:
    """Return the JSON Schema of a job's file, for whoever writes or reads one. What refers to what, and digests, it cannot say."""
    names: dict[type, str] = {str: "string", int: "integer", NOTHING: "null"}

    def closed(properties: dict[str, Any], *, all_of_them: bool = True) -> dict[str, Any]:
        wanted = {"required": list(properties)} if all_of_them else {}
        return {"type": "object", "properties": properties, **wanted, "additionalProperties": False}

    def table(columns: Columns) -> dict[str, Any]:
        values = [_value_schema(kind, may_be_empty=empty, is_json=c in columns.json) for c, (kind, empty) in columns.kinds.items()]
        row = {"type": "array", "prefixItems": values, "minItems": len(values), "maxItems": len(values)}
        return closed({"columns": {"const": list(columns.kinds)}, "rows": {"type": "array", "items": row}})

    heads = {part: closed({f: {"type": [names[k] for k in kinds]} for f, kinds in fields.items()}) for part, fields in HEADS.items()}
    digest = {"type": "string", "pattern": f"^{DIGEST.pattern}$"}
    dossier = closed({"sha256": digest, "taken_in_utc": {"type": "string"}, "content": {"type": "string"}})
    content = closed(
        {
            **heads,
            "dossiers": {"type": "array", "minItems": 1, "items": dossier},
            "tables": closed({name: table(columns) for name, columns in tables.items()}, all_of_them=False),
            "photographs": {
                "type": "object",
                "propertyNames": digest,
                "additionalProperties": {"type": "string", "contentEncoding": "base64"},
            },
        }
    )
    whole = closed({"format": {"const": FORMAT}, "version": {"const": VERSION}, "digest": digest, "content": content})
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "A job of Calm Needle", **whole}


def _value_schema(kind: str, *, may_be_empty: bool, is_json: bool) -> dict[str, Any]:
    if is_json:
        return {}
    name = {"TEXT": "string", "INTEGER": "integer"}.get(kind, "number")
    return {"type": [name, "null"] if may_be_empty else [name]}


class _Faults:
    """Faults as they are found; no more are gathered than are shown."""

    def __init__(self) -> None:
        self.found: list[Fault] = []

    def add(self, path: str, sentence: str) -> None:
        if len(self.found) < MOST_FAULTS:
            self.found.append(Fault(path, sentence))

    @property
    def full(self) -> bool:
        return len(self.found) >= MOST_FAULTS


def _digest(text: str, said: object, faults: _Faults) -> None:
    """Whether the content has the digest that the file names: as it stands there, letter by letter."""
    head, _, rest = text.partition('"content":\n')
    body = rest[: rest.rfind("\n}")] if rest else ""
    if not isinstance(said, str) or not DIGEST.fullmatch(said):
        faults.add("digest", "it is no SHA-256")
    elif not head or hashlib.sha256(body.encode()).hexdigest() != said:
        faults.add("digest", "the content does not have this digest: it was edited, or cut")


def _content(body: dict[str, Any], tables: Mapping[str, Columns], faults: _Faults) -> JobFile | None:
    wanted = {"model", "set", "job", "dossiers", "tables", "photographs"}
    for missing in sorted(wanted - body.keys()):
        faults.add(missing, "it is missing")
    for unknown in sorted(body.keys() - wanted):
        faults.add(unknown[:40], "there is no such part of a job")
    if wanted - body.keys():
        return None
    for part, fields in HEADS.items():
        value = body[part]
        if not isinstance(value, dict) or set(value) != set(fields):
            faults.add(part, f"it has {', '.join(fields)}, and nothing else")
            continue
        for field, kinds in fields.items():
            if not isinstance(value[field], kinds) or isinstance(value[field], bool):
                faults.add(f"{part}.{field}", "it is not of the kind that belongs there")
            elif isinstance(value[field], str):
                _text(f"{part}.{field}", value[field], faults, longest=4000)
    dossiers = _dossiers(body["dossiers"], faults)
    found = _tables(body["tables"], tables, len(dossiers), faults)
    pictures = _pictures(body["photographs"], faults)
    if faults.found:
        return None
    return JobFile(body["model"], body["set"], body["job"], dossiers, found, pictures, "")


def _dossiers(value: Any, faults: _Faults) -> list[dict[str, Any]]:
    if not isinstance(value, list) or not value:
        faults.add("dossiers", "a job refers to one at least")
        return []
    for n, one in enumerate(value):
        if (
            not isinstance(one, dict)
            or set(one) != {"sha256", "taken_in_utc", "content"}
            or not all(isinstance(v, str) for v in one.values())
        ):
            faults.add(f"dossiers[{n}]", "it has sha256, taken_in_utc and content, all text")
        elif hashlib.sha256(one["content"].encode("utf-8", "surrogatepass")).hexdigest() != one["sha256"]:
            faults.add(f"dossiers[{n}]", "its content does not have its digest")
    return value


def _tables(value: Any, tables: Mapping[str, Columns], dossiers: int, faults: _Faults) -> dict[str, tuple[list[str], list[list[Any]]]]:
    out: dict[str, tuple[list[str], list[list[Any]]]] = {}
    if not isinstance(value, dict):
        faults.add("tables", "they are named lists of rows")
        return out
    for name, table in value.items():
        here = f"tables.{name[:40]}"
        if name not in tables:
            faults.add(here, "there is no such table of a job")
            continue
        if not isinstance(table, dict) or set(table) != {"columns", "rows"} or not isinstance(table["rows"], list):
            faults.add(here, "it has columns and rows")
            continue
        columns, wanted = table["columns"], list(tables[name].kinds)
        # Columns that a later program has added stand behind the others; a file of an earlier one has what they held then.
        lacking = wanted[len(columns) :] if isinstance(columns, list) and columns == wanted[: len(columns)] else []
        if lacking and all(c in tables[name].added for c in lacking) and all(isinstance(row, list) for row in table["rows"]):
            columns = wanted
            table["rows"] = [[*row, *(tables[name].added[c] for c in lacking)] for row in table["rows"]]
        if columns != wanted:
            faults.add(f"{here}.columns", f"they are {', '.join(tables[name].kinds)}, in this order")
            continue
        out[name] = columns, table["rows"]
    if sum(len(rows) for _, rows in out.values()) > MOST_ROWS:
        faults.add("tables", f"they have more than {MOST_ROWS} rows")
        return out
    counts = {name: len(out[name][1]) if name in out else 0 for name, t in tables.items() if t.numbered}
    counts["dossier"] = dossiers
    for name, (columns, rows) in out.items():
        _rows(name, columns, rows, tables[name], counts, faults)
    return out


def _rows(name: str, columns: Sequence[str], rows: Sequence[Any], table: Columns, counts: Mapping[str, int], faults: _Faults) -> None:
    checks = [
        (column, table.kinds[column][0], table.kinds[column][1], column in table.json, table.names.get(column), table.last.get(column))
        for column in columns
    ]
    width = len(columns)
    if all(isinstance(row, list) and len(row) == width for row in rows) and all(
        _right([row[i] for row in rows], table, column, counts) for i, column in enumerate(columns)
    ):
        return  # as nearly every file is; only where something is wrong is it looked for value by value
    for n, row in enumerate(rows):
        if faults.full:
            return
        if not isinstance(row, list) or len(row) != width:
            faults.add(f"tables.{name}[{n}]", f"a row has {width} values")
            continue
        for value, (column, kind, may_be_empty, is_json, named, last) in zip(row, checks, strict=True):
            if value is None:
                if not may_be_empty:
                    faults.add(f"tables.{name}[{n}].{column}", "it may not be empty")
            elif is_json:
                _deep(f"tables.{name}[{n}].{column}", value, faults)
            elif kind == "TEXT":
                if not isinstance(value, str):
                    faults.add(f"tables.{name}[{n}].{column}", "it is not text")
                else:
                    _text(f"tables.{name}[{n}].{column}", value, faults)
            elif isinstance(value, bool) or not isinstance(value, int if kind == "INTEGER" else (int, float)):
                faults.add(f"tables.{name}[{n}].{column}", "it is no number, or no whole one")
            elif abs(value) > LARGEST:
                faults.add(f"tables.{name}[{n}].{column}", "it is larger than any number here can be")
            elif (named and not 1 <= value <= counts[named]) or (last and not 0 <= value <= counts[last]):
                faults.add(f"tables.{name}[{n}].{column}", f"there is no {named or last} {value} in this file")


def _right(values: list[Any], table: Columns, column: str, counts: Mapping[str, int]) -> bool:
    """Whether every value of a column is surely right, seen quickly; what this doubts is looked at one by one."""
    kind, may_be_empty = table.kinds[column]
    found = set(map(type, values))
    if (NOTHING in found and not may_be_empty) or not found <= PLAIN_TYPES.get(kind, set()):
        return False
    there = [v for v in values if v is not None]
    if column in table.json:
        return not there
    if not there:
        return True
    if kind == "TEXT":
        return max(map(len, there)) <= LONGEST_TEXT and all(v.isascii() and "\x00" not in v for v in set(there))
    least, most = min(there), max(there)
    named, last = table.names.get(column), table.last.get(column)
    return (
        max(-least, most) <= LARGEST
        and (not named or 1 <= least <= most <= counts[named])
        and (not last or 0 <= least <= most <= counts[last])
    )


def _deep(path: str, value: Any, faults: _Faults) -> None:
    """Look at what a JSON column holds: text that can be kept, numbers that can be, not too deep."""
    left: list[tuple[Any, int]] = [(value, 0)]
    while left:
        one, depth = left.pop()
        if depth > DEEPEST:
            faults.add(path, "it is nested too deeply")
            return
        if isinstance(one, dict):
            for key in one:
                _text(path, key, faults)
            left.extend((v, depth + 1) for v in one.values())
        elif isinstance(one, list):
            left.extend((v, depth + 1) for v in one)
        elif isinstance(one, str):
            _text(path, one, faults)
        elif isinstance(one, int) and not isinstance(one, bool) and abs(one) > LARGEST:
            faults.add(path, "it holds a number larger than any here can be")


def _text(path: str, text: str, faults: _Faults, *, longest: int = LONGEST_TEXT) -> None:
    if len(text) > longest:
        faults.add(path, f"it is longer than {longest} letters")
    elif "\x00" in text or (not text.isascii() and any(0xD800 <= ord(c) <= 0xDFFF for c in text)):
        faults.add(path, "it holds what cannot be kept: a NUL, or half a character")


def _pictures(value: Any, faults: _Faults) -> dict[str, bytes]:
    out: dict[str, bytes] = {}
    if not isinstance(value, dict):
        faults.add("photographs", "they are named by their digests")
        return out
    for sha, coded in value.items():
        if not DIGEST.fullmatch(sha):
            faults.add("photographs", f"“{sha[:20]}” is no digest, and a photograph has no other name")
            continue
        try:
            jpeg = base64.b64decode(coded, validate=True) if isinstance(coded, str) else b""
        except (binascii.Error, ValueError):
            jpeg = b""
        if hashlib.sha256(jpeg).hexdigest() != sha:
            faults.add(f"photographs.{sha[:12]}", "it does not have its digest")
        out[sha] = jpeg
    return out


def _refused(name: str, sentence: str, path: str = "") -> FileRefused:
    return FileRefused(name, [Fault(path, sentence)])


def _line(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"), allow_nan=False)


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    out = dict(pairs)
    if len(out) != len(pairs):
        twice = str(first_doubled(name for name, _ in pairs))
        raise ValueError(f"“{twice[:40]}” stands there twice")
    return out


def _no_constant(word: str) -> Any:
    raise ValueError(f"{word} is no number that can be kept")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:20]} is no finite number")
    return value
