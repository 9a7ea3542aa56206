"""What the bench page shows of a decision: the ways on side by side, and the dial as it is and would be."""

from collections.abc import Sequence
from typing import Any

from calm_needle.core.pictures import Curves, Line, Mark
from calm_needle.core.procedure.decision import Decision, Picture
from calm_needle.core.quantities import format_plain

KEYS = "123456789"


def decision_view(decision: Decision | None) -> dict[str, Any] | None:
    """Return a decision as a page shows it; None where there is none of this sort."""
    if decision is None:
        return None
    others = [o for o in decision.options if o.id != decision.advised]
    keyed = {decision.advised: "Enter", **{o.id: KEYS[i] for i, o in enumerate(others)}}
    return {
        "title": decision.title,
        "advised": decision.advised,
        "options": [{**o._asdict(), "key": keyed[o.id], "advised": o.id == decision.advised} for o in decision.options],
        "steps": next(o.steps for o in decision.options if o.id == decision.advised),
        "others": [{"id": o.id, "label": o.label, "key": keyed[o.id]} for o in others],
        "cost_labels": next(([label for label, _ in o.costs] for o in decision.options if o.costs), []),
        "found": [f._asdict() for f in decision.found],
        "picture": dial_picture(decision.picture, decision) if decision.picture else None,
        "asks_where": any(o.costs for o in decision.options),
    }


def dial_picture(picture: Picture, decision: Decision | None = None) -> Curves:
    """Return the dial's error over its scale: as read, as worked out between, as it would be by what is advised, between its tolerances."""
    at = picture.fitted.at_hz
    lines = [
        Line("tolerance", list(zip(at, picture.tolerance_hz, strict=True)), "slate", dashed=True),
        Line("", [(f, -t) for f, t in zip(at, picture.tolerance_hz, strict=True)], "slate", dashed=True),
        Line("now", list(zip(at, picture.fitted.error_hz, strict=True)), "before"),
    ]
    for option in _drawn(decision):
        lines.append(Line(option[0], list(zip(option[1].at_hz, option[1].error_hz, strict=True)), "after", dashed=option[2]))
    marks = [
        Mark(f, format_plain(f, unit="Hz", digits=4), e, "before") for f, e in zip(picture.read.at_hz, picture.read.error_hz, strict=True)
    ]
    return Curves("What it receives beside each mark", "Hz", "Hz", lines, marks, log_x=True)


def _drawn(decision: Decision | None) -> Sequence[tuple[str, Any, bool]]:
    """The predicted curves: the first way is the best possible, the others thin beside it."""
    ways = [o for o in decision.options if o.curve] if decision else []
    return [(o.label.split(" ", maxsplit=1)[0].lower() if i else "best", o.curve, i > 0) for i, o in enumerate(ways[:2])]
