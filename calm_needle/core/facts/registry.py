"""All kinds of fact: each module of `core.facts.kinds` names its own, so that a new kind is a new file and nothing else."""

import pkgutil
from functools import cache
from importlib import import_module

from calm_needle.core.facts import kinds
from calm_needle.core.facts.kind import FactKind


@cache
def kinds_of_fact() -> dict[str, FactKind]:
    """Return every kind by its name. Raises ValueError where two modules claim one name."""
    found: dict[str, FactKind] = {}
    for module in sorted(m.name for m in pkgutil.iter_modules(kinds.__path__)):
        for kind in import_module(f"{kinds.__name__}.{module}").KINDS:
            if kind.name in found:
                raise ValueError(f"Two kinds of fact are called {kind.name}.")
            found[kind.name] = kind
    return found
