"""The kinds of step there are, by name. The one place that lists them; another is added by `register`."""

from calm_needle.core.procedure.kinds import (
    alternate,
    carrier,
    centre,
    check,
    image,
    inspect,
    null,
    peak,
    receives,
    rock,
    shape,
    swing,
    target,
    tune,
    wait,
    window,
    zero_beat,
    zero_cross,
)
from calm_needle.core.procedure.kinds.kind import StepKind

_MODULES = (
    peak,
    null,
    target,
    window,
    zero_beat,
    zero_cross,
    centre,
    shape,
    alternate,
    rock,
    check,
    wait,
    inspect,
    receives,
    swing,
    carrier,
    tune,
    image,
)
KINDS: dict[str, StepKind] = {m.KIND.name: m.KIND for m in _MODULES}


def register(kind: StepKind) -> StepKind:
    """Add a kind; everything that leads, shows, records and rehearses steps then knows it. Its name must be new."""
    assert kind.name not in KINDS, kind.name
    KINDS[kind.name] = kind
    return kind
