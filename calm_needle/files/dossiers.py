"""Dossiers in: one JSON file, taken whole or refused whole with every fault by its path."""

from __future__ import annotations

import itertools
import json
import math
import re
from collections.abc import Iterator, Mapping
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING, Any, cast

from calm_needle.core.dossier.faults import meaning_faults
from calm_needle.core.doubled import first_doubled
from calm_needle.core.lazy import Lazy
from calm_needle.errors import Fault, FileRefused

if TYPE_CHECKING:
    import jsonschema
else:
    jsonschema = Lazy("jsonschema")

LARGEST_BYTES = 2_000_000
MOST_FAULTS = 200
LARGEST_NUMBER, MOST_DIGITS = 1e15, 40
SMALLEST = 1e-18  # of what is not nothing: a thousandth of a femtofarad


def load_dossier(content: bytes, *, name: str) -> dict[str, Any]:
    """Return the data of a dossier file. Raises FileRefused with all faults: not JSON, wrong shape, or contradictions.

    Meaning is checked once the shape is right; numbers beyond a float, duplicate keys and deep nesting are refused too.
    """
    if len(content) > LARGEST_BYTES:
        raise FileRefused(name, [Fault("", f"it is {len(content)} bytes long; a dossier has at most {LARGEST_BYTES}")])
    try:
        data = json.loads(
            content.decode("utf-8-sig"), object_pairs_hook=_no_doubles, parse_constant=_no_constants, parse_float=_finite, parse_int=_whole
        )
    except UnicodeDecodeError as fault:
        raise FileRefused(name, [Fault("", f"it is not UTF-8 text (byte {fault.start})")]) from None
    except json.JSONDecodeError as fault:
        raise FileRefused(name, [Fault(f"line {fault.lineno}, column {fault.colno}", f"this is not JSON: {fault.msg}")]) from None
    except RecursionError:
        raise FileRefused(name, [Fault("", "it is nested too deeply to be a dossier")]) from None
    except ValueError as fault:
        raise FileRefused(name, [Fault("", str(fault))]) from None
    faults = _writing_faults(data) or _shape_faults(data) or list(itertools.islice(meaning_faults(data), MOST_FAULTS))
    if faults:
        raise FileRefused(name, faults[:MOST_FAULTS])
    return dict(data)


@cache
def _validator() -> jsonschema.Draft202012Validator:
    text = resources.files("calm_needle.files").joinpath("schema/model-1.schema.json").read_text(encoding="utf-8")
    strict = jsonschema.validators.extend(  # type: ignore[no-untyped-call]
        jsonschema.Draft202012Validator, {"pattern": _pattern}
    )
    return cast(jsonschema.Draft202012Validator, strict(json.loads(text)))


def fragment_faults(kind: str, data: Mapping[str, Any]) -> list[Fault]:
    """Return what is wrong with one piece that is to be added to a dossier: kind as the schema's definitions name it."""
    whole = _validator()
    schema = cast(dict[str, Any], whole.schema)
    piece = whole.evolve(schema={"$ref": f"#/$defs/{kind}", "$defs": schema["$defs"]})
    return _writing_faults(data) or [Fault(_path(error.json_path), _sentence(error)) for error in piece.iter_errors(data)]


def _pattern(_: Any, pattern: str, instance: Any, __: Any) -> Iterator[jsonschema.ValidationError]:
    """A pattern's $ is the very end: Python's own would let a line's end through behind it."""
    if isinstance(instance, str) and not re.search(re.sub(r"\$$", r"\\Z", pattern), instance):
        yield jsonschema.ValidationError(f"{instance[:40]!r} does not match {pattern!r}")


def _writing_faults(data: Any) -> list[Fault]:
    """Text that cannot be kept or shown, and numbers that no receiver has, wherever they stand; as many as are shown."""
    found: list[Fault] = []
    left: list[tuple[str, Any]] = [("", data)]
    while left and len(found) < MOST_FAULTS:
        path, value = left.pop()
        if isinstance(value, dict):
            for key, item in value.items():
                here = f"{path}.{key}".lstrip(".")
                if fault := _text_fault(key):
                    found.append(Fault(path, f"a key {fault}"))
                left.append((here, item))
        elif isinstance(value, list):
            left.extend((f"{path}[{i}]", item) for i, item in enumerate(value))
        elif isinstance(value, str) and (fault := _text_fault(value)):
            found.append(Fault(path, f"it {fault}"))
        elif isinstance(value, (int, float)) and not isinstance(value, bool) and not abs(value) <= LARGEST_NUMBER:
            found.append(Fault(path, f"{str(value)[:20]} is larger than any number here can be"))
    return sorted(found, key=lambda f: f.path)


def _text_fault(text: str) -> str:
    if not text.isascii() and any(0xD800 <= ord(c) <= 0xDFFF for c in text):
        return "holds half a character (a lone surrogate), which cannot be kept"
    if any(c < " " and c not in "\n\t" for c in text):
        return "holds a control character, which cannot be shown"
    return ""


def _shape_faults(data: Any) -> list[Fault]:
    # Gathering stops at the most that are shown: a file of sixty thousand faults is answered as quickly as one of ten.
    few = list(itertools.islice(_validator().iter_errors(data), MOST_FAULTS))
    found = sorted(few, key=lambda e: [str(part) for part in e.absolute_path])
    # The validator reports each missing key by itself; said once, all together.
    return list(dict.fromkeys(Fault(_path(error.json_path), _sentence(error)) for error in found))


def _path(json_path: str) -> str:
    return re.sub(r"^\$\.?", "", json_path)


def _sentence(error: jsonschema.ValidationError) -> str:
    rule: Any = error.validator_value
    found: Any = error.instance
    value = json.dumps(found, ensure_ascii=False)
    shown = value if len(value) <= 40 else value[:37] + "…"
    match error.validator:
        case "required":
            missing = [key for key in rule if key not in found]
            return f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing"
        case "enum":
            return f"{shown} is not one of {', '.join(map(str, rule))}"
        case "const":
            return f"{shown} must be {json.dumps(rule)}"
        case "exclusiveMinimum":
            return f"{shown} must be above {rule}"
        case "type":
            return f"{shown} must be of type {rule}"
        case "pattern":
            return f"{shown} must be a plain name of letters, digits and dashes"
        case "maxItems":
            return f"at most {rule} are taken in"
        case "minItems":
            return "at least one is needed" if rule == 1 else f"at least {rule} are needed"
        case _:
            return error.message[:200]


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    out = dict(pairs)
    if len(out) != len(pairs):
        twice = str(first_doubled(name for name, _ in pairs))
        raise ValueError(f"the key “{twice[:40]}” stands twice in one place")
    return out


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:20]} is larger than any number here can be")
    if abs(value) < SMALLEST and value != 0.0:
        raise ValueError(f"{text[:20]} is smaller than any number here can be")
    return value + 0.0  # no number below nothing that is nothing


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise ValueError(f"{text[:20]}… is larger than any number here can be")
    return int(text)


def _no_constants(name: str) -> float:
    raise ValueError(f"{name} is not a number JSON knows")
