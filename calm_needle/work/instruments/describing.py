"""Describing an instrument on a page: fields out of a description and a description out of fields, tried on real answers."""

import math
from collections.abc import Mapping
from typing import Any, NamedTuple

from calm_needle.core.description import (
    BAUDS,
    ENDS,
    FORMAT,
    PARITIES,
    READS,
    SETS,
    SWITCHES,
    VERSION,
    Description,
    Found,
    Line,
    Quantity,
    Read,
    as_data,
    number_in,
    parse_description,
    read_description,
)
from calm_needle.core.quantities import format_si
from calm_needle.errors import FieldsRefused, FileRefused, InstrumentError, OutOfRange
from calm_needle.work.instruments.equipment import send_once
from calm_needle.work.workshop import Workshop

LONGEST_RESOURCE, LONGEST_ANSWER = 120, 400
NO_RESOURCE = "Write the VISA resource name: TCPIP::192.0.2.7::5025::SOCKET, or ASRL/dev/ttyUSB0::INSTR for a serial line."
CHOICES: dict[str, tuple[Any, ...]] = {
    "line-ends": tuple(ENDS),
    "line-answers_end": tuple(ENDS),
    "line-baud": BAUDS,
    "line-data_bits": (7, 8),
    "line-parity": PARITIES,
    "line-stop_bits": (1, 2),
}
WHOLE = ("which", "decimals", "baud", "data_bits", "stop_bits")
REAL = ("factor", "every_s")


class Shown(NamedTuple):
    """What is found in an answer: the text before the number, the number, the text behind it, what it means; why nothing is found."""

    before: str
    number: str
    behind: str
    means: str
    words: str


class Parts(NamedTuple):
    """What an instrument of a kind can be described by."""

    reads: tuple[Quantity, ...]
    sets: tuple[Quantity, ...]
    switches: tuple[Quantity, ...]


def parts(kind: str) -> Parts:
    """Return what an instrument of a kind reads and is told; nothing for an unknown kind."""
    return Parts(READS.get(kind, ()), SETS.get(kind, ()), SWITCHES.get(kind, ()))


def fields(description: Description) -> dict[str, str]:
    """Return a description as the fields of the page."""
    data = as_data(description)
    out = {"name": description.name, "kind": description.kind}
    out |= {f"line-{n}": _text(v) for n, v in data["line"].items()}
    for part in ("reads", "sets"):
        for name, values in data[part].items():
            out |= {f"{part}-{name}-{n}": _units(v) if n == "units" else _text(v) for n, v in values.items()}
    return out | {f"switches-{n}": v for n, v in data["switches"].items()}


def usual(kind: str) -> dict[str, str]:
    """Return the fields before anybody has written in them."""
    out = {"kind": kind} | {f"line-{n}": _text(v) for n, v in vars(Line()).items()}
    for quantity in READS.get(kind, ()):
        out |= {f"reads-{quantity.name}-which": "1", f"reads-{quantity.name}-factor": "1", f"reads-{quantity.name}-decimal": "."}
    for quantity in SETS.get(kind, ()):
        out |= {f"sets-{quantity.name}-factor": "1", f"sets-{quantity.name}-decimals": "3", f"sets-{quantity.name}-scale": "linear"}
    return out


def from_fields(form: Mapping[str, str]) -> Description:
    """Return the description that the fields give. Raises FieldsRefused with every fault at its field."""
    kind = form.get("kind", "")
    data: dict[str, Any] = {"format": FORMAT, "version": VERSION, "name": form.get("name", "").strip(), "kind": kind}
    data["line"] = {n: _value(n, form[f"line-{n}"]) for n in vars(Line()) if form.get(f"line-{n}", "").strip()}
    of_kind = parts(kind)
    data["reads"] = {q.name: _part(form, f"reads-{q.name}-", Read("")) for q in of_kind.reads if _meant(form, "reads", q)}
    data["sets"] = {
        q.name: {
            n: _value(n, form[f"sets-{q.name}-{n}"]) for n in ("send", "factor", "decimals", "scale") if form.get(f"sets-{q.name}-{n}")
        }
        for q in of_kind.sets
        if form.get(f"sets-{q.name}-send")
    }
    data["switches"] = {q.name: form[f"switches-{q.name}"] for q in of_kind.switches if form.get(f"switches-{q.name}")}
    try:
        description = read_description(data, name="form")
    except FileRefused as refused:
        raise FieldsRefused({_field(f.path): f"{f.sentence[0].upper()}{f.sentence[1:]}." for f in refused.faults}) from None
    if wrong := {f"sets-{t.name}-decimals": t.fault for t in tried(description) if t.fault}:
        raise FieldsRefused(wrong)
    return description


class TriedLine(NamedTuple):
    """What is sent for the least or the greatest value that a quantity is told; fault: why it cannot be."""

    name: str
    value: str
    line: str
    fault: str


def tried(description: Description) -> list[TriedLine]:
    """Return the lines for the least and the greatest value of each quantity that a description tells."""
    out = []
    for quantity in SETS.get(description.kind, ()):
        if quantity.name not in description.sets:
            continue
        for value in dict.fromkeys(quantity.ends):
            shown = format_si(value, unit=quantity.unit)
            try:
                out.append(TriedLine(quantity.name, shown, description.sets[quantity.name].line(value), ""))
            except OutOfRange:
                fault = f"{shown} cannot be told within 1 %: give it more decimals, or another factor."
                out.append(TriedLine(quantity.name, shown, "", fault))
    return out


def tried_of(form: Mapping[str, str]) -> list[TriedLine]:
    """Return the same of the fields of the page; nothing while they are not yet right."""
    try:
        return tried(from_fields(form))
    except FieldsRefused:
        return []


def bring(content: bytes, *, name: str) -> dict[str, str]:
    """Return the fields of a description that somebody gave. Raises FieldsRefused where it is not whole and right."""
    try:
        return fields(parse_description(content, name=name))
    except FileRefused as refused:
        raise FieldsRefused({"file": str(refused)}) from None


def ask_once(form: Mapping[str, str], name: str) -> str:
    """Return what the instrument answers to the line of one quantity, as it is. Raises FieldsRefused, InstrumentError."""
    resource = _resource(form)
    line = {n: _value(n, form[f"line-{n}"]) for n in vars(Line()) if form.get(f"line-{n}", "").strip()}
    try:
        probe = {"format": FORMAT, "version": VERSION, "name": "asked", "kind": "ac-millivoltmeter", "line": line}
        probe["reads"] = {"alternating_volts": {"send": form.get(f"reads-{name}-send", "")}}
        asked = read_description(probe, name="form")
    except FileRefused as refused:
        raise FieldsRefused({"": refused.faults[0].sentence}) from None
    try:
        return send_once(resource, asked.line, asked.reads["alternating_volts"].send)[:LONGEST_ANSWER]
    except InstrumentError as fault:
        raise FieldsRefused({"": str(fault)}) from None


def find(form: Mapping[str, str], name: str, answer: str) -> Shown:
    """Return what the fields of one quantity find in an answer."""
    kind, answer = form.get("kind", ""), answer[:LONGEST_ANSWER]
    quantity = next((q for q in READS.get(kind, ()) if q.name == name), None)
    if quantity is None:
        return Shown(answer, "", "", "", "There is no such quantity.")
    data = {"format": FORMAT, "version": VERSION, "name": "found", "kind": kind}
    data["reads"] = {q.name: {} for q in READS[kind] if q.needed} | {name: _part(form, f"reads-{name}-", Read("")) | {"send": "x"}}
    data["sets"] = {q.name: {"send": "{value}"} for q in SETS.get(kind, ())}
    try:
        read = read_description(data, name="form").reads[name]
    except FileRefused as refused:
        return Shown(answer, "", "", "", f"{refused.faults[0].path.rpartition('.')[2]}: {refused.faults[0].sentence}.")
    found = number_in(answer, read)
    if found is None:
        return Shown(answer, "", "", "", "No number is found there.")
    return Shown(answer[: found.begin], answer[found.begin : found.end], answer[found.end :], _means(found, quantity), "")


def keep(shop: Workshop, form: Mapping[str, str]) -> Description:
    """Use the instrument that the fields describe, once it has answered. Raises FieldsRefused; nothing is used then."""
    faults: dict[str, str] = {}
    resource, description = "", None
    try:
        resource = _resource(form)
    except FieldsRefused as refused:
        faults |= refused.faults
    try:
        description = from_fields(form)
    except FieldsRefused as refused:
        faults |= refused.faults
    if faults or description is None:
        raise FieldsRefused(faults)
    try:
        shop.add_described(resource, description)
    except InstrumentError as fault:
        raise FieldsRefused({"resource": str(fault)}) from None
    return description


def _resource(form: Mapping[str, str]) -> str:
    resource = form.get("resource", "").strip()
    if not resource or len(resource) > LONGEST_RESOURCE or not resource.isascii() or not resource.isprintable():
        raise FieldsRefused({"resource": NO_RESOURCE})
    return resource


def _means(found: Found, quantity: Quantity) -> str:
    return "over its range" if math.isinf(found.value) else format_si(found.value, unit=quantity.unit, digits=6)


def _meant(form: Mapping[str, str], part: str, quantity: Quantity) -> bool:
    """Whether anything was written for a quantity that need not be there."""
    return quantity.needed or bool(form.get(f"{part}-{quantity.name}-send"))


def _part(form: Mapping[str, str], before: str, usual_read: Read) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name in vars(usual_read):
        text = form.get(f"{before}{name}", "")
        if name == "units":
            out[name] = _read_units(text)
        elif text:
            out[name] = _value(name, text)
    return out


def _read_units(text: str) -> Any:
    """«mV=0.001 V=1» as what each unit is worth; the text itself where it is not like that, which is refused then."""
    units: dict[str, Any] = {}
    for word in text.split():
        unit, sign, worth = word.partition("=")
        if not sign:
            return text
        units[unit] = _value("factor", worth)
    return units


def _units(units: Mapping[str, float]) -> str:
    return " ".join(f"{unit}={_text(worth)}" for unit, worth in units.items())


def _value(name: str, text: str) -> Any:
    """What a field holds; the text itself where it is no number, which is refused then."""
    try:
        if name in WHOLE:
            return int(text.strip())
        if name in REAL:
            return float(text.strip().replace(",", "."))
    except ValueError:
        return text
    return text


def _text(value: Any) -> str:
    return f"{value:.12g}" if isinstance(value, float) else str(value)


def _field(path: str) -> str:
    """The field of a fault: reads.frequency.send is reads-frequency-send; of a quantity that is not there, its line."""
    if path.startswith(("reads.", "sets.")):
        parts_of_path = path.split(".")
        return "-".join([*parts_of_path[:2], parts_of_path[2] if len(parts_of_path) > 2 else "send"])
    return path.replace(".", "-")
