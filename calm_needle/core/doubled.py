"""A name that stands twice where it may stand once."""

from collections.abc import Iterable


def first_doubled(names: Iterable[str]) -> str | None:
    """Return the first name that was there before; None where each is there once. In one pass: a hostile file has many."""
    seen: set[str] = set()
    for name in names:
        if name in seen:
            return name
        seen.add(name)
    return None
