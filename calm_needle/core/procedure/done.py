"""Done means within: what keeps a run that is through from being done, and the round that would mend it."""

from collections.abc import Iterable, Sequence
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.passband import Passband
from calm_needle.core.procedure.closing import SoFar, off_centre
from calm_needle.core.procedure.run import RunState


def so_far(model: Model, state: RunState) -> SoFar:
    """Return what a run has done, and is not gone back on."""
    last = _last_of_each(state)
    turned = any(outcome == "take" for outcome in last.values())
    return SoFar(turned, tuple(model.adjuster(a).name for a, outcome in last.items() if outcome == "no_peak"))


def unmet(model: Model, state: RunState) -> list[str]:
    """Return what keeps a run that is through from being done, in sentences: cores without a peak, a last sweep off its centre.

    What was left out has a reason of its own already.
    """
    found = so_far(model, state)
    out = [f"{name} has no peak." for name in found.no_peak]
    for visit in reversed(state.visits):
        source = state.plan.step(visit.step_id).set_up.source
        kept = visit.detail.get("passband")
        if visit.outcome != "take" or visit.superseded or not kept or source is None or source.frequency_hz is None:
            continue
        if found.turned and (wrong := off_centre(model, Passband(**kept), source_hz=source.frequency_hz, so_far=found)):
            out.append(wrong.sentence)
        break
    return out


def again_groups(groups: Sequence[dict[str, Any]], *, number: int) -> list[dict[str, Any]]:
    """Return the groups of a plan that another round goes through: those that repeat, and the last one, which measures what came of it."""
    chosen = [g for i, g in enumerate(groups) if g.get("repeat_until") or i == len(groups) - 1]
    return [
        {
            **g,
            "id": f"{g['id']}-again-{number}",
            "title": f"{g['title']}, once more",
            "steps": [{**s, "id": f"{s['id']}-again-{number}"} for s in g["steps"]],
        }
        for g in chosen
    ]


def _last_of_each(state: RunState) -> dict[str, str]:
    """What came of each adjuster of the rounds when it was last tried: its id and the outcome of that visit. Elsewhere a decision says what
    an adjuster that cannot be turned means."""
    tried: Iterable[tuple[str, str]] = (
        (adjuster, visit.outcome)
        for visit in state.visits
        if visit.outcome in ("take", "no_peak") and not visit.superseded and state.plan.group(visit.place.group_id).repeat
        for adjuster in state.plan.step(visit.step_id).adjusters[:1]
    )
    return dict(tried)
