"""A dossier as tables that a person fills in: which there are, what each column is, and how rows become data and back.

What a table does not show stays in the row it belongs to. Whether the whole makes sense is for the schema and `faults` to say, which see
it before it is kept.
"""

import copy
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, Literal, NamedTuple

from calm_needle.core.quantities import format_plain, parse_si
from calm_needle.core.soundness.parts_sweep import UNITS
from calm_needle.errors import FieldsRefused, NotUnderstood

Row = dict[str, Any]
Reads = Literal["words", "number", "names", "yes"]
SPARE_ROWS = 2  # that stand empty below the others, for what is new
TAKEN_OUT = "out"
WIDEST = 44


class Column(NamedTuple):
    """One column. key: where its value stands in the row, dots for what lies deeper; unit: of a number; choices: the only words it takes;
    wide: how many letters it usually holds; unit_by: the column by whose word the unit goes, as parts of a kind have theirs."""

    key: str
    label: str
    reads: Reads = "words"
    unit: str = ""
    choices: tuple[str, ...] = ()
    wide: int = 12
    unit_by: str = ""

    def unit_in(self, row: Mapping[str, Any]) -> str:
        """Return the unit of its value in a row."""
        return UNITS.get(str(row.get(self.unit_by)), "") if self.unit_by else self.unit


class Table(NamedTuple):
    """One table. rows: the rows of a dossier, each with what it lies in by its first column, where it lies deeper; put: those rows back in;
    one: there is always just one row.
    """

    name: str
    title: str
    why: str
    columns: tuple[Column, ...]
    rows: Callable[[Mapping[str, Any]], Iterator[Row]]
    put: Callable[[dict[str, Any], list[Row]], None]
    one: bool = False


def texts(table: Table, data: Mapping[str, Any]) -> list[list[str]]:
    """Return the rows of a dossier's table as they are typed."""
    return [[_text(column, row) for column in table.columns] for row in table.rows(data)]


def widths(table: Table, rows: Sequence[Sequence[str]]) -> list[int]:
    """Return how many letters each column of a table holds: as many as its longest cell, WIDEST at most."""
    return [max(c.wide, *(min(len(row[i]) + 1, WIDEST) for row in rows), 0) for i, c in enumerate(table.columns)]


def with_table(table: Table, data: Mapping[str, Any], typed: Mapping[str, str]) -> dict[str, Any]:
    """Return a dossier with a table as it was typed (`KEY-N` for each cell, `out-N` to take a row out); empty rows are passed over.

    Raises FieldsRefused with a sentence for each cell that cannot be read.
    """
    out = copy.deepcopy(dict(data))
    faults: dict[str, str] = {}
    rows: list[Row] = []
    old = list(table.rows(out))
    number = 0
    while any(f"{c.key}-{number}" in typed for c in table.columns):
        cells = [typed.get(f"{c.key}-{number}", "").strip() for c in table.columns]
        row = old[number] if number < len(old) else {}
        was = [_text(c, row) for c in table.columns]
        if any(cells) and not typed.get(f"{TAKEN_OUT}-{number}"):
            for column, text, before in zip(table.columns, cells, was, strict=True):
                if text == before:  # not touched: as exact as it was
                    continue
                try:
                    _put_deep(row, column.key, _value(column, text, row))
                except NotUnderstood as fault:
                    faults[f"{column.key}-{number}"] = str(fault)
            rows.append(row)
        number += 1
    if faults:
        raise FieldsRefused(faults)
    table.put(out, rows)
    return out


def _text(column: Column, row: Mapping[str, Any]) -> str:
    value = _deep(row, column.key)
    if value is None:
        return ""
    match column.reads:
        case "number":
            assert isinstance(value, int | float)
            return format_plain(float(value), unit=column.unit_in(row), digits=6)
        case "names":
            names = value if isinstance(value, list | tuple) else [value]
            return " ".join(str(v.get("id")) if isinstance(v, Mapping) else str(v) for v in names)
        case "yes":
            return "yes" if value else ""
    return str(value)


def _value(column: Column, text: str, row: Mapping[str, Any]) -> object:
    """What a cell says; None where it says nothing."""
    if not text:
        return [] if column.reads == "names" else None
    if column.choices and text not in column.choices:
        raise NotUnderstood(text, why=f"is not one of {', '.join(column.choices)}", example=column.choices[0])
    match column.reads:
        case "number":
            return parse_si(text, unit=column.unit_in(row))
        case "names":
            return text.replace(",", " ").split()
        case "yes":
            return text.lower() in ("yes", "y", "true")
    return text


def _deep(row: Mapping[str, Any], key: str) -> object:
    found: object = row
    for part in key.split("."):
        found = found.get(part) if isinstance(found, Mapping) else None
    return found


def _put_deep(row: Row, key: str, value: object) -> None:
    *way, last = key.split(".")
    for part in way:
        if part not in row and value in (None, []):
            return
        row = row.setdefault(part, {})
    if value is None:
        row.pop(last, None)
    else:
        row[last] = value


def _list(name: str) -> tuple[Callable[[Mapping[str, Any]], Iterator[Row]], Callable[[dict[str, Any], list[Row]], None]]:
    """Rows of a list on the top of a dossier."""

    def rows(data: Mapping[str, Any]) -> Iterator[Row]:
        yield from data.get(name, ())

    def put(data: dict[str, Any], new: list[Row]) -> None:
        data[name] = new

    return rows, put


IN = "in"  # the column that says in what a row lies


def _nested(
    outer: str, way: Sequence[str], *, usual: Mapping[str, Any] | None = None
) -> tuple[Callable[[Mapping[str, Any]], Iterator[Row]], Callable[[dict[str, Any], list[Row]], None]]:
    """Rows of a list that each item of another list has; the column “in” is that item's id. usual: what a new row has beside its cells."""

    def rows(data: Mapping[str, Any]) -> Iterator[Row]:
        for item in data.get(outer, ()):
            found: Any = item
            for part in way:
                found = found.get(part, {}) if isinstance(found, Mapping) else {}
            yield from ({IN: item["id"], **row} for row in (found or ()))

    def put(data: dict[str, Any], new: list[Row]) -> None:
        for item in data.get(outer, ()):
            mine = [{**(usual or {}), **{k: v for k, v in row.items() if k != IN}} for row in new if row.get(IN) == item["id"]]
            holder: Any = item
            for part in way[:-1]:
                holder = holder.setdefault(part, {}) if mine or part in holder else {}
            if mine or way[-1] in holder:
                holder[way[-1]] = mine
        lost = sorted({str(row.get(IN)) for row in new} - {str(item["id"]) for item in data.get(outer, ())})
        if lost:
            raise FieldsRefused({IN: f"There is no {', '.join(lost)} among the {outer}: a row lies in one of them."})

    return rows, put


def _facts(data: Mapping[str, Any]) -> Iterator[Row]:
    yield dict(data)


def _put_facts(data: dict[str, Any], rows: list[Row]) -> None:
    data.update(rows[0] if rows else {})
    for key in ("description",):
        data.setdefault(key, "")


CIRCUITS: dict[str, str] = {"oscillator": "oscillator_tank", "signal": "signal_tank"}  # as a person calls them, and a dossier


def _tanks(data: Mapping[str, Any]) -> Iterator[Row]:
    for band in data.get("bands", ()):
        yield from ({IN: band["id"], "circuit": words, **band[key]} for words, key in CIRCUITS.items() if key in band)


def _put_tanks(data: dict[str, Any], rows: list[Row]) -> None:
    bands = {str(band["id"]): band for band in data.get("bands", ())}
    lost = sorted({str(row.get(IN)) for row in rows} - set(bands))
    if lost:
        raise FieldsRefused({IN: f"There is no {', '.join(lost)} among the bands: a circuit belongs to one of them."})
    if any(row.get("circuit") not in CIRCUITS for row in rows):
        raise FieldsRefused({IN: f"Say which circuit it is: {' or '.join(CIRCUITS)}."})
    for band in bands.values():
        for key in CIRCUITS.values():
            band.pop(key, None)
    for row in rows:
        values = {k: v for k, v in row.items() if k not in (IN, "circuit")}
        bands[str(row[IN])][CIRCUITS[row["circuit"]]] = values


def _word(key: str, label: str, *choices: str, wide: int = 12) -> Column:
    return Column(key, label, choices=choices, wide=wide)


def _number(key: str, label: str, unit: str) -> Column:
    return Column(key, label, "number", unit, wide=10)


STAGES = ("aerial", "RF amplifier", "mixer", "oscillator", "filter", "if amplifier", "detector", "audio", "power")
KINDS = ("broadcast", "portable", "communications", "FM tuner", "scanner", "mobile transceiver", "HF transceiver")
SAFETY = ("isolated by a transformer", "live chassis", "battery", "high-voltage transmitter", "unknown")
PART_KINDS = ("resistor", "capacitor", "winding", "control", "insulation", "contact", "device")
SIDES = ("above", "below")
SOURCE = Column("from", "From where it is known", wide=16)


def _tables() -> Iterable[Table]:
    yield Table(
        *("facts", "The set", "What kind of set it is; the safety class decides which cautions and which ladder it has."),
        columns=(
            _word("kind", "Kind", *KINDS),
            _word("technology", "With", "valve", "transistor", "mixed"),
            _word("safety_class", "It is fed", *SAFETY),
            _word("description", "Description", wide=40),
            _word("source.title", "Papers", wide=24),
        ),
        rows=_facts,
        put=_put_facts,
        one=True,
    )
    yield Table(
        *("intermediate-frequencies", "Intermediate frequencies", "The first is the one the strip is aligned to."),
        (_word("id", "Short name"), _number("if_hz", "Frequency", "Hz"), _number("bandwidth_6db_hz", "Width at −6 dB", "Hz")),
        *_list("intermediate_frequencies"),
    )
    yield Table(
        *("stages", "Line-up", "In the order of the signal; each feeds those that are named."),
        (
            _word("id", "Short name"),
            _word("kind", "Kind", *STAGES),
            _word("name", "Name", wide=18),
            Column("feeds", "Feeds", "names", wide=18),
        ),
        *_list("stages"),
    )
    yield Table(
        *("points", "Test points", "What should stand there, and from where that is known."),
        (
            _word(IN, "Stage"),
            _word("id", "Short name"),
            _word("name", "Name", wide=18),
            _number("expected_v", "Should be", "V"),
            _number("tolerance_percent", "±", "%"),
            SOURCE,
        ),
        *_nested("stages", ("test_points",)),
    )
    yield Table(
        *("bands", "Bands", "Their limits, and on which side of the signal the oscillator runs."),
        (
            _word("id", "Short name", wide=5),
            _word("name", "Name", wide=14),
            _number("f_low_hz", "From", "Hz"),
            _number("f_high_hz", "to", "Hz"),
            _number("if_hz", "IF", "Hz"),
            _word("side", "Oscillator", *SIDES),
        ),
        *_list("bands"),
    )
    yield Table(
        *("marks", "Printed marks", "Of each band’s scale, rising; millimetres from its left end where they were measured."),
        (_word(IN, "Band", wide=5), _number("dial_hz", "Mark", "Hz"), Column("position_mm", "mm", "number", "", wide=8), SOURCE),
        *_nested("bands", ("dial", "marks")),
    )
    yield Table(
        *("tracking", "Where each band is set", "At which mark by which adjuster of the oscillator, and which of the signal circuits."),
        (
            _word(IN, "Band", wide=5),
            _number("dial_hz", "At", "Hz"),
            _word("oscillator", "Oscillator", wide=8),
            Column("signal", "Signal circuits", "names", wide=14),
        ),
        *_nested("bands", ("tracking",)),
    )
    yield Table(
        *("tanks", "Tuned circuits", "Each band’s oscillator and signal circuit: their values, and the parts and adjusters that they are."),
        (
            _word(IN, "Band", wide=5),
            _word("circuit", "Circuit", *CIRCUITS),
            _number("l_h", "Coil", "H"),
            _number("trim_f", "Trimmer and strays", "F"),
            _number("padder_f", "Padder", "F"),
            _word("coil", "Coil is", wide=8),
            _word("core", "Its core", wide=8),
            _word("trimmer", "Trimmer is", wide=8),
            _word("padder", "Padder is", wide=8),
        ),
        _tanks,
        _put_tanks,
    )
    yield Table(
        *("adjusters", "Adjusters", "Everything that is turned, and where it is; places in millimetres from the left and from the back."),
        (
            _word("id", "Short name", wide=8),
            _word("name", "Name", wide=16),
            _word("kind", "Kind", "core", "trimmer", "padder", "trap", "preset"),
            _word("side", "Side", *SIDES),
            Column("place.x_mm", "x, mm", "number", wide=6),
            Column("place.y_mm", "y, mm", "number", wide=6),
            _word("tool", "Tool", wide=14),
            _word("tunes.text", "Tunes", wide=18),
            _word("tunes.transformer", "Can", wide=6),
            _word("tunes.winding", "Winding", "primary", "secondary"),
            Column("travel_turns", "Turns", "number", wide=5),
            _word("remarks", "Remarks", wide=16),
        ),
        *_list("adjusters"),
    )
    yield Table(
        *("parts", "Parts", "Values as they are drawn or printed: ohms of resistors and windings, farads, per cent of a valve’s emission."),
        (
            _word("id", "Short name", wide=8),
            _word("kind", "Kind", *PART_KINDS),
            _word("name", "Name", wide=20),
            Column("nominal", "Value", "number", wide=9, unit_by="kind"),
            _number("tolerance_percent", "±", "%"),
            _word("region", "Region", wide=14),
            _word("stage", "Stage", wide=10),
            _word("can", "Can", wide=6),
            Column("weak", "Weak kind", "yes", wide=4),
            SOURCE,
        ),
        *_list("parts"),
    )
    yield Table(
        *("specifications", "Specifications", "What it should come to; each with its definition."),
        (
            _word("id", "Short name", wide=14),
            _word("what", "What", wide=24),
            _word("band", "Band", wide=5),
            _number("nominal_hz", "Nominal", "Hz"),
            _number("tolerance_hz", "±", "Hz"),
            _number("low_hz", "From", "Hz"),
            _number("high_hz", "to", "Hz"),
            _number("most_v", "At most", "V"),
            _number("from_hz", "Holds from", "Hz"),
            _number("to_hz", "Holds to", "Hz"),
            _number("most_percent", "At most", "%"),
            _word("definition", "Definition", wide=24),
        ),
        *_list("specifications"),
    )
    yield Table(
        *("groups", "Procedure, group by group", "In the order of the work."),
        (_word("id", "Short name"), _word("phase", "Phase", wide=20), _word("title", "Title", wide=24)),
        *_list("procedure"),
    )
    yield Table(
        *("steps", "Procedure, step by step", "What is done with which adjusters, and why."),
        (
            _word(IN, "Group"),
            _word("id", "Short name"),
            _word("kind", "Kind"),
            Column("adjusters", "Adjusters", "names", wide=14),
            _word("title", "Title", wide=24),
            _word("why", "Why", wide=30),
        ),
        *_nested("procedure", ("steps",)),
    )


TABLES: dict[str, Table] = {table.name: table for table in _tables()}
