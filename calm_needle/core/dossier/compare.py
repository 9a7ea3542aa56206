"""What is different between two dossiers, place by place, and how those differences are carried into a third.

Things that bear an id are compared with the thing of that id, wherever they stand in their list; marks by their frequency.
"""

import copy
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

KEYS = ("id", "dial_hz", "designation")  # by which an item of a list is known
MISSING = object()
LONGEST_SHOWN = 80

Way = tuple[str, ...]  # keys of objects, and names of items in lists


class Difference(NamedTuple):
    """One place at which two dossiers differ: the way there, what stood there and what stands there; MISSING where nothing does."""

    way: Way
    before: Any
    after: Any

    @property
    def words(self) -> str:
        """How one says it."""
        place = " › ".join(self.way)
        if self.before is MISSING:
            return f"{place}: added, {shown(self.after)}"
        if self.after is MISSING:
            return f"{place}: taken out, was {shown(self.before)}"
        return f"{place}: {shown(self.before)} → {shown(self.after)}"


def differences(before: Any, after: Any, way: Way = ()) -> list[Difference]:
    """Return every place at which two dossiers' data differ, the smallest that can be named."""
    if before == after:
        return []
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        return _of_items(before, after, way)
    named = [_by_name(x) for x in (before, after)] if isinstance(before, list) and isinstance(after, list) else [None]
    if all(n is not None for n in named) and len(named) == 2:
        return _of_items(named[0] or {}, named[1] or {}, way)
    return [Difference(way, before, after)]


def carried(found: Iterable[Difference], *, into: Mapping[str, Any]) -> tuple[dict[str, Any], list[Difference]]:
    """Return a dossier with these differences made in it too, and those that could not be: where something else stands there by now."""
    out: Any = copy.deepcopy(dict(into))
    left = []
    for difference in found:
        if not _make(out, difference):
            left.append(difference)
    return out, left


def shown(value: Any) -> str:
    """Return what stands at a place, briefly."""
    if isinstance(value, Mapping):
        named = [str(value[k]) for k in ("name", "title", "what", "id") if k in value]
        text = named[0] if named else ", ".join(f"{k} {v}" for k, v in value.items() if not isinstance(v, Mapping | list))
    elif isinstance(value, list):
        text = ", ".join(shown(v) for v in value) or "none"
    else:
        text = f"{value:.6g}" if isinstance(value, float) else str(value)
    return text if len(text) <= LONGEST_SHOWN else f"{text[: LONGEST_SHOWN - 1]}…"


def _of_items(before: Mapping[str, Any], after: Mapping[str, Any], way: Way) -> list[Difference]:
    out = []
    for name in dict.fromkeys([*before, *after]):
        a, b = before.get(name, MISSING), after.get(name, MISSING)
        if a is MISSING or b is MISSING:
            out.append(Difference((*way, str(name)), a, b))
        else:
            out += differences(a, b, (*way, str(name)))
    return out


def _name_of(item: Any) -> str | None:
    if not isinstance(item, Mapping):
        return None
    return next((f"{item[k]:g}" if isinstance(item[k], float | int) else str(item[k]) for k in KEYS if k in item), None)


def _by_name(items: Sequence[Any]) -> dict[str, Any] | None:
    """The items of a list by their names; None where not every one has a name of its own."""
    named = {_name_of(item): item for item in items}
    return None if None in named or len(named) != len(items) else {str(k): v for k, v in named.items()}


def _make(data: Any, difference: Difference) -> bool:
    """Make a difference in data; False where what stood there before does not stand there."""
    *way, last = difference.way
    here = data
    for name in way:
        if isinstance(here, Mapping):
            here = here.get(name)
        elif isinstance(here, list):
            here = next((item for item in here if _name_of(item) == name), None)
        else:
            return False
    if isinstance(here, list):
        return _make_in_list(here, last, difference)
    if not isinstance(here, dict) or here.get(last, MISSING) not in (difference.before, difference.after):
        return False
    if difference.after is MISSING:
        here.pop(last, None)
    else:
        here[last] = copy.deepcopy(difference.after)
    return True


def _make_in_list(items: list[Any], name: str, difference: Difference) -> bool:
    at = next((i for i, item in enumerate(items) if _name_of(item) == name), None)
    if difference.before is MISSING:
        if at is None:
            items.append(copy.deepcopy(difference.after))
            items.sort(key=_rising) if all(isinstance(i, Mapping) and "dial_hz" in i for i in items) else None
        return at is None or items[at] == difference.after
    if at is None or items[at] != difference.before:
        return at is None and difference.after is MISSING
    if difference.after is MISSING:
        del items[at]
    else:
        items[at] = copy.deepcopy(difference.after)
    return True


def _rising(item: Mapping[str, Any]) -> float:
    return float(item["dial_hz"])
